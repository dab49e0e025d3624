#include "desk/stack/stack_bars.h"

#include "desk/theme/theme.h"

#include <QPainter>

#include <algorithm>

namespace pathmark::desk {

StackBars::StackBars(QWidget* parent) : QWidget(parent) {
    setObjectName("stackBars");
    setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Fixed);
    setToolTip(tr("Signal-to-noise: predicted for one frame and for all, measured in each stack. S "
                  "shows the stack."));
}

void StackBars::setBody(const QString& name,
                        double frameSnr,
                        double stackSnr,
                        const Measurements& measurements) {
    name_ = name;
    frameSnr_ = frameSnr;
    stackSnr_ = stackSnr;
    stacks_.clear();
    for (const auto& m : measurements) {
        if (m.frames > 1) {
            stacks_.push_back(m);
        }
    }
    updateGeometry();
    update();
}

QSize StackBars::sizeHint() const {
    constexpr double kAbove = 38.0;
    constexpr double kBar = 44.0;
    constexpr double kNote = 74.0;
    const double bars = name_.isEmpty() ? 0.0 : 2.0 + static_cast<double>(stacks_.size());
    return {200, static_cast<int>(scaled(kAbove + kBar * bars + kNote))};
}

void StackBars::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    const Colours& c = colours();
    painter.fillRect(rect(), c.ground);
    painter.setPen(c.text);
    painter.drawText(QRectF(10, scaled(8), width() - 20, scaled(18)),
                     name_.isEmpty() ? tr("No body in hand")
                                     : tr("%1: signal-to-noise").arg(name_));
    double top = stackSnr_;
    for (const auto& m : stacks_) {
        top = std::max(top, m.snr);
    }
    const double unit = (width() - 120.0) / std::max(top, 10.0);
    double y = scaled(38.0);
    const auto bar = [&](const QString& label, double snr, const QColor& colour, bool outlined) {
        painter.setPen(c.quiet);
        painter.drawText(QRectF(10, y, width() - 20, scaled(16)), label);
        const QRectF box(10, y + scaled(19), std::max(1.0, unit * snr), scaled(11));
        if (outlined) {
            painter.setPen(QPen(colour, 1.2));
            painter.drawRect(box);
        } else {
            painter.fillRect(box, colour);
        }
        painter.setPen(c.text);
        painter.drawText(QRectF(box.right() + 8, y + scaled(15), 90, scaled(18)),
                         QString::number(snr, 'f', 1));
        y += scaled(44.0);
    };
    if (!name_.isEmpty()) {
        bar(tr("best single frame, predicted"), frameSnr_, c.predicted, false);
        bar(tr("all frames added, predicted"), stackSnr_, c.predicted, true);
    }
    for (const auto& m : stacks_) {
        bar(tr("%1 · %n frame(s), %2 UTC", nullptr, m.frames)
                .arg(m.seen ? tr("measured") : tr("nothing seen"))
                .arg(QString::fromStdString(toIso(m.time, 0)).mid(11, 8)),
            m.snr,
            m.seen ? c.agreed : c.disagrees,
            !m.seen);
    }
    painter.setPen(c.quiet);
    const QString note =
        stacks_.empty() && !name_.isEmpty()
            ? tr("This body is bright enough for single frames, so no stack on its "
                 "motion was asked for. S "
                 "shows the stack on the stars.")
            : tr("S shows the stack in the Sky. Shift and drag along the Ribbon: the frames of one "
                 "stack; Shift and click takes the bracket away.");
    painter.drawText(QRectF(10, y + 4, width() - 20, scaled(70)), Qt::TextWordWrap, note);
}

} // namespace pathmark::desk
