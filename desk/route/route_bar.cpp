#include "desk/route/route_bar.h"

#include "desk/shell/words.h"
#include "desk/theme/theme.h"

#include <QHelpEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>

#include <algorithm>
#include <cmath>
#include <utility>

namespace pathmark::desk {
namespace {

StageState fromCounts(std::size_t done, std::size_t all) {
    if (done == 0) {
        return StageState::Empty;
    }
    return done == all ? StageState::Done : StageState::NeedsReview;
}

QString words(StageState state) {
    switch (state) {
    case StageState::Empty: return Words::tr("not begun");
    case StageState::Partly: return Words::tr("partly done");
    case StageState::Done: return Words::tr("done");
    case StageState::NeedsReview: return Words::tr("needs review");
    }
    return {};
}

} // namespace

QString name(Stage stage) {
    static const std::array<const char*, kStageCount> names{QT_TRANSLATE_NOOP("Words", "Gather"),
                                                            QT_TRANSLATE_NOOP("Words", "Calibrate"),
                                                            QT_TRANSLATE_NOOP("Words", "Solve"),
                                                            QT_TRANSLATE_NOOP("Words", "Identify"),
                                                            QT_TRANSLATE_NOOP("Words", "Stack"),
                                                            QT_TRANSLATE_NOOP("Words", "Measure"),
                                                            QT_TRANSLATE_NOOP("Words", "Report")};
    return Words::tr(names[static_cast<std::size_t>(stage)]);
}

std::array<StageState, kStageCount> stageStates(const NightSnapshot* night) {
    std::array<StageState, kStageCount> states{};
    if (night == nullptr || night->frames.empty()) {
        return states;
    }
    const auto lights = night->lights.size();
    const auto count = [&](auto test) {
        return static_cast<std::size_t>(
            std::count_if(night->lights.begin(), night->lights.end(), test));
    };
    const bool warned = std::any_of(night->matches.begin(),
                                    night->matches.end(),
                                    [](const auto& m) { return !m.second.warnings.empty(); });
    states[0] = lights > 0 ? StageState::Done : StageState::NeedsReview;
    states[1] = fromCounts(count([](const auto& l) { return l.calibrated != l.raw; }), lights);
    if (states[1] == StageState::Done && warned) {
        states[1] = StageState::NeedsReview;
    }
    states[2] = fromCounts(count([](const auto& l) { return l.solved(); }), lights);
    states[3] = night->predictions.empty() ? StageState::Empty : StageState::Done;
    const bool stacked = std::any_of(night->measurements.begin(),
                                     night->measurements.end(),
                                     [](const auto& m) { return m.frames > 1; });
    states[4] = stacked                       ? StageState::Done
                : night->measurements.empty() ? StageState::Empty
                                              : StageState::Partly;
    const bool parked =
        std::any_of(night->measurements.begin(), night->measurements.end(), [](const auto& m) {
            return m.seen && m.state == night::MeasurementState::Parked;
        });
    states[5] = night->measurements.empty() ? StageState::Empty
                : parked                    ? StageState::NeedsReview
                                            : StageState::Done;
    const bool kept =
        std::any_of(night->measurements.begin(), night->measurements.end(), [](const auto& m) {
            return m.seen && m.state == night::MeasurementState::Kept;
        });
    states[6] = kept ? StageState::Done : StageState::Empty;
    return states;
}

RouteBar::RouteBar(QWidget* parent) : QWidget(parent) {
    setObjectName("route");
    setAccessibleName(tr("Route"));
    setMinimumWidth(480);
    grow();
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
}

void RouteBar::setNight(const NightSnapshot* night) {
    if (std::exchange(states_, stageStates(night)) != states_) {
        update();
    }
}

void RouteBar::grow() {
    setMinimumHeight(static_cast<int>(scaled(46)));
}

void RouteBar::changeEvent(QEvent* event) {
    if (event->type() == QEvent::FontChange) {
        grow();
    }
    QWidget::changeEvent(event);
}

void RouteBar::setStage(Stage stage) {
    stage_ = stage;
    update();
}

QPointF RouteBar::markPoint(Stage stage) const {
    const double step = (width() - 2.0 * scaled(50.0)) / (kStageCount - 1);
    return {scaled(50.0) + step * static_cast<double>(stage), scaled(14.0)};
}

void RouteBar::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    const Colours& c = colours();
    for (int i = 0; i + 1 < kStageCount; ++i) {
        const bool walked = states_[static_cast<std::size_t>(i + 1)] != StageState::Empty;
        painter.setPen(QPen(walked ? c.agreed : c.line, 1.5));
        painter.drawLine(markPoint(static_cast<Stage>(i)) + QPointF(8, 0),
                         markPoint(static_cast<Stage>(i + 1)) - QPointF(8, 0));
    }
    for (int i = 0; i < kStageCount; ++i) {
        const auto stage = static_cast<Stage>(i);
        const QPointF p = markPoint(stage);
        switch (states_[static_cast<std::size_t>(i)]) {
        case StageState::Empty:
            painter.setPen(QPen(c.quiet, 1.5));
            painter.drawLine(p - QPointF(0, 5), p + QPointF(0, 5));
            break;
        case StageState::Partly:
            painter.setPen(QPen(c.agreed, 1.5));
            painter.drawPolyline(
                QPolygonF({p + QPointF(-3, -5), p + QPointF(3, 0), p + QPointF(-3, 5)}));
            break;
        case StageState::Done:
            painter.setPen(Qt::NoPen);
            painter.setBrush(c.agreed);
            painter.drawPolygon(
                QPolygonF({p + QPointF(-4, -6), p + QPointF(5, 0), p + QPointF(-4, 6)}));
            painter.setBrush(Qt::NoBrush);
            break;
        case StageState::NeedsReview:
            painter.setPen(QPen(c.disagrees, 1.8));
            painter.drawPolygon(
                QPolygonF({p + QPointF(-4, -6), p + QPointF(5, 0), p + QPointF(-4, 6)}));
            painter.drawLine(p + QPointF(-1.5, -2), p + QPointF(-1.5, 2));
            break;
        }
        painter.setPen(stage == stage_ ? c.text : c.quiet);
        QFont font = painter.font();
        font.setBold(stage == stage_);
        painter.setFont(font);
        const QRectF label(p.x() - scaled(48), scaled(23), scaled(96), scaled(18));
        painter.drawText(label, Qt::AlignCenter, name(stage));
        if (stage == stage_) {
            const double w = painter.fontMetrics().horizontalAdvance(name(stage));
            painter.drawLine(QPointF(p.x() - 0.5 * w, scaled(42)),
                             QPointF(p.x() + 0.5 * w, scaled(42)));
        }
    }
}

void RouteBar::mousePressEvent(QMouseEvent* event) {
    for (int i = 0; i < kStageCount; ++i) {
        if (std::abs(event->position().x() - markPoint(static_cast<Stage>(i)).x()) < scaled(48.0)) {
            emit stageChosen(static_cast<Stage>(i));
            return;
        }
    }
}

bool RouteBar::event(QEvent* event) {
    if (event->type() == QEvent::ToolTip) {
        const auto* help = static_cast<QHelpEvent*>(event);
        for (int i = 0; i < kStageCount; ++i) {
            const auto stage = static_cast<Stage>(i);
            if (std::abs(help->pos().x() - markPoint(stage).x()) < scaled(48.0)) {
                QToolTip::showText(
                    help->globalPos(),
                    QString("%1: %2 (%3)").arg(name(stage), words(state(stage))).arg(i + 1),
                    this);
                return true;
            }
        }
    }
    return QWidget::event(event);
}

} // namespace pathmark::desk
