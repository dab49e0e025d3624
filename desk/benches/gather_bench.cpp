#include "desk/benches/gather_bench.h"

#include "desk/theme/theme.h"

#include <QPainter>

#include <algorithm>

namespace pathmark::desk {

GatherBench::GatherBench(QWidget* parent) : QWidget(parent) {
    setObjectName("gatherBench");
    setToolTip("One row for each group of like frames, one stroke for each frame.");
}

void GatherBench::setNight(const NightSnapshot* night) {
    night_ = night;
    setMinimumHeight(night == nullptr ? 60 : 40 + 46 * static_cast<int>(night->groups.size()));
    update();
}

void GatherBench::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    const Colours& c = colours();
    painter.fillRect(rect(), c.ground);
    if (night_ == nullptr) {
        painter.setPen(c.quiet);
        painter.drawText(rect(), Qt::AlignCenter, "No night is open");
        return;
    }
    painter.setPen(c.text);
    painter.drawText(
        QRectF(10, 8, width() - 20, 18),
        QString("%1 frames in %2 groups").arg(night_->frames.size()).arg(night_->groups.size()));
    double y = 34.0;
    for (const auto& group : night_->groups) {
        const bool light = group.example.kind == frame::FrameKind::Light;
        painter.setPen(light ? c.text : c.quiet);
        const QString title = painter.fontMetrics().elidedText(
            QString::fromStdString(group.title()), Qt::ElideRight, width() - 60);
        painter.drawText(QRectF(10, y, width() - 60, 16), title);
        painter.drawText(
            QRectF(width() - 50, y, 40, 16), Qt::AlignRight, QString::number(group.frames.size()));
        const double step =
            std::min(9.0, (width() - 24.0) / static_cast<double>(group.frames.size()));
        for (std::size_t i = 0; i < group.frames.size(); ++i) {
            const QRectF stroke(
                10 + step * static_cast<double>(i), y + 20, std::max(1.0, step - 3.0), 10);
            // Lights stand full, calibration frames half as high.
            painter.fillRect(light ? stroke : stroke.adjusted(0, 5, 0, 0),
                             light ? c.agreed : c.quiet);
        }
        y += 46.0;
    }
}

} // namespace pathmark::desk
