#include "desk/solve/hand_fit_panel.h"

#include "desk/shell/power_text.h"
#include "desk/shell/words.h"
#include "desk/solve/hand_fit_session.h"
#include "desk/theme/theme.h"

#include <QGridLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QPainter>
#include <QPushButton>
#include <QVBoxLayout>

#include <algorithm>
#include <utility>

namespace pathmark::desk {
namespace {

constexpr double kBelievable = -8.0; ///< log10 of chance

constexpr std::pair<const char*, const char*> kActs[] = {
    {QT_TRANSLATE_NOOP("Words", "drag"), QT_TRANSLATE_NOOP("Words", "move the stars")},
    {QT_TRANSLATE_NOOP("Words", "wheel"), QT_TRANSLATE_NOOP("Words", "turn them (Shift: finely)")},
    {QT_TRANSLATE_NOOP("Words", "Ctrl + wheel"),
     QT_TRANSLATE_NOOP("Words", "draw them apart, together (Shift: finely)")},
    {QT_TRANSLATE_NOOP("Words", "arrows"), QT_TRANSLATE_NOOP("Words", "nudge (Shift: further)")},
    {QT_TRANSLATE_NOOP("Words", "V"), QT_TRANSLATE_NOOP("Words", "swap left and right")},
    {QT_TRANSLATE_NOOP("Words", ",  ."), QT_TRANSLATE_NOOP("Words", "fewer, more stars")},
    {QT_TRANSLATE_NOOP("Words", "Backspace"), QT_TRANSLATE_NOOP("Words", "back to where it began")},
    {QT_TRANSLATE_NOOP("Words", "right drag, + −"),
     QT_TRANSLATE_NOOP("Words", "move and zoom the frame")},
};

} // namespace

/// A bar for the share of the stars that coincide.
class HandFitPanel::Meter : public QWidget {
  public:
    Meter() { setFixedHeight(14); }

    void set(double share) {
        share_ = share;
        update();
    }

  protected:
    void paintEvent(QPaintEvent*) override {
        QPainter painter(this);
        const Colours& c = colours();
        const QRectF box(0.5, 0.5, width() - 1.0, height() - 1.0);
        painter.fillRect(box, c.panel);
        painter.fillRect(QRectF(0.5, 0.5, share_ * box.width(), box.height()), c.agreed);
        painter.setPen(c.line);
        painter.drawRect(box);
        // Tenths.
        painter.setPen(c.ground);
        for (int i = 1; i < 10; ++i) {
            const double x = 0.1 * i * box.width();
            painter.drawLine(QPointF(x, 4), QPointF(x, height() - 4));
        }
    }

  private:
    double share_ = 0.0;
};

HandFitPanel::HandFitPanel(HandFitSession& hand, QWidget* parent) : QWidget(parent), hand_(hand) {
    setObjectName("handFitPanel");
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(12, 8, 12, 8);
    layout->setSpacing(8);
    figures_ = new QLabel;
    figures_->setObjectName("handFigures");
    figures_->setWordWrap(true);
    meter_ = new Meter;
    result_ = new QLabel;
    result_->setObjectName("handResult");
    result_->setWordWrap(true);
    layout->addWidget(figures_);
    layout->addWidget(meter_);
    layout->addWidget(result_);
    const auto button = [&](const QString& text, const char* objectName, const auto& act) {
        auto* made = new QPushButton(text);
        made->setObjectName(objectName);
        made->setFocusPolicy(Qt::NoFocus);
        connect(made, &QPushButton::clicked, this, act);
        return made;
    };
    begin_ =
        button(tr("Lay the catalogue over this frame (G)"), "handBegin", [this] { hand_.begin(); });
    lock_ = button(tr("Lock and refine (Enter)"), "handLock", [this] { hand_.lock(); });
    keep_ = button(tr("Keep for this frame (Enter)"), "handKeep", [this] { hand_.keep(false); });
    offer_ = button("", "handOffer", [this] { hand_.keep(true); });
    leave_ = button(tr("Leave (Esc)"), "handLeave", [this] { hand_.leave(); });
    forget_ = button(
        tr("Take back the kept fit of this frame"), "handForget", [this] { hand_.forget(); });
    layout->addWidget(begin_);
    layout->addWidget(forget_);
    layout->addWidget(lock_);
    layout->addWidget(keep_);
    layout->addWidget(offer_);
    layout->addWidget(leave_);
    auto* acts = new QGridLayout;
    acts->setColumnStretch(1, 1);
    acts->setHorizontalSpacing(14);
    int row = 0;
    for (const auto& [key, what] : kActs) {
        acts->addWidget(new QLabel(key), row, 0);
        auto* text = new QLabel(what);
        setTone(*text, Tone::Quiet);
        acts->addWidget(text, row++, 1);
    }
    layout->addSpacing(6);
    layout->addLayout(acts);
    layout->addStretch(1);
    refresh();
}

QString HandFitPanel::figures() const {
    const auto& c = hand_.coincidence();
    const frame::Wcs& wcs = hand_.wcs();
    return tr("%1 of %2 stars coincide with a source within %3 px%4\n"
              "%5″ per pixel, turned %6°%7, stars to G %8")
        .arg(c.stars)
        .arg(c.shown)
        .arg(hand_.radiusPixels(), 0, 'f', 0)
        .arg(c.stars > 0 ? tr(", rms %1 px").arg(c.rmsPixels, 0, 'f', 1) : QString())
        .arg(wcs.scaleArcsec(), 0, 'f', 3)
        .arg(wcs.rotation().degrees(), 0, 'f', 1)
        .arg(wcs.mirrored() ? ", mirrored" : "")
        .arg(hand_.faintest(), 0, 'f', 1);
}

QString HandFitPanel::lockedFigures() const {
    const auto& solution = *hand_.locked()->solution;
    const QString chance =
        solution.falseAlarmLog10 < kBelievable
            ? tr("Chance does as well in less than %1 of cases.")
                  .arg(powerOfTen(solution.falseAlarmLog10))
            : tr("△ Chance does as well in %1 of cases: look closely before you keep it.")
                  .arg(solution.falseAlarmLog10 > -1.0 ? QString("many")
                                                       : powerOfTen(solution.falseAlarmLog10));
    return tr("Locked: %1 stars, residual %2″ along an axis, %3″ per pixel. %4")
        .arg(solution.usedStars)
        .arg(solution.rmsArcsec, 0, 'f', 3)
        .arg(solution.wcs.scaleArcsec(), 0, 'f', 4)
        .arg(chance);
}

void HandFitPanel::refresh() {
    const bool on = hand_.isOn();
    const bool locked = hand_.locked() != nullptr;
    const auto& c = hand_.coincidence();
    figures_->setText(
        on ? figures()
           : tr("When a frame is not solved, lay the catalogue over it: drag the stars "
                "onto the sources, turn and size them with the wheel, then lock."));
    figures_->setVisible(!locked);
    meter_->setVisible(on && !locked);
    meter_->set(c.shown > 0 ? static_cast<double>(c.stars) / c.shown : 0.0);
    result_->setText(locked ? lockedFigures() : hand_.isLocking() ? tr("Fitting …") : "");
    result_->setVisible(on && (locked || hand_.isLocking()));
    begin_->setVisible(!on);
    forget_->setVisible(!on && hand_.isKept());
    lock_->setVisible(on && !locked);
    lock_->setEnabled(!hand_.isLocking());
    keep_->setVisible(locked);
    const auto others = locked ? hand_.unsolvedOfSeries().size() : 0;
    offer_->setVisible(locked && others > 0);
    offer_->setText(tr("Keep, and offer it to %n unsolved frame(s) of the series (Shift+Enter)",
                       nullptr,
                       static_cast<int>(others)));
    leave_->setVisible(on);
}

} // namespace pathmark::desk
