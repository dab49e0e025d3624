#include "desk/ribbon/frame_ribbon.h"

#include "desk/ribbon/ribbon_lengths.h"
#include "desk/shell/words.h"

#include <QHelpEvent>
#include <QMouseEvent>
#include <QToolTip>

#include <algorithm>
#include <cmath>
#include <map>
#include <utility>

namespace pathmark::desk {
namespace {

constexpr double kFoldSeconds = 150.0; ///< room a folded gap takes

/// Smaller is better.
std::optional<double> qualityCost(const night::LightRecord& light,
                                  const std::optional<night::Drift>& drift,
                                  RibbonQuality quality) {
    switch (quality) {
    case RibbonQuality::Fwhm:
        return light.fwhmPixels > 0.0 ? std::optional(light.fwhmPixels) : std::nullopt;
    case RibbonQuality::Sky:
        return light.skyElectrons > 0.0 ? std::optional(light.skyElectrons) : std::nullopt;
    case RibbonQuality::Stars:
        return light.sources > 0 ? std::optional(-1.0 * light.sources) : std::nullopt;
    case RibbonQuality::Transparency:
        return light.photometry ? std::optional(-light.photometry->zeroPoint) : std::nullopt;
    case RibbonQuality::Drift: return drift ? std::optional(drift->lengthArcsec()) : std::nullopt;
    }
    return std::nullopt;
}

} // namespace

FrameRibbon::FrameRibbon(QWidget* parent) : QWidget(parent) {
    setObjectName("ribbon");
    setAccessibleName(tr("Ribbon of the frames"));
    setMinimumHeight(80);
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
}

void FrameRibbon::setNight(const NightSnapshot* night) {
    const bool isSame = night_ != nullptr && night != nullptr &&
                        night_->lights.isSameAs(night->lights) &&
                        night_->made.isSameAs(night->made);
    const bool looksSame = isSame && night_->excluded == night->excluded &&
                           (night_->decided.isSameAs(night->decided) ||
                            night_->decided->brackets == night->decided->brackets);
    night_ = night;
    if (isSame) {
        if (!looksSame) {
            update(); // frames stand where they stood
        }
        return;
    }
    bracketStart_ = -1;
    drawn_ = {-1, -1};
    layOut();
    grow();
    update();
}

void FrameRibbon::grow() {
    setFixedHeight(static_cast<int>(ribbonTop() + scaled(24.0) +
                                    laneHeight(lanes_.size()) *
                                        std::max<double>(1.0, static_cast<double>(lanes_.size()))));
}

void FrameRibbon::setSelected(int index) {
    selected_ = index;
    update();
}

void FrameRibbon::setQuality(RibbonQuality quality) {
    quality_ = quality;
    rateQuality();
    update();
}

void FrameRibbon::layOut() {
    blocks_.clear();
    lanes_.clear();
    folds_.clear();
    span_ = 1.0;
    if (night_ == nullptr || night_->lights.empty()) {
        return;
    }
    drifts_ = night::driftOf(night_->lights);
    // Series interleave in time, so the folded axis is laid out over all of them together.
    const Utc first = night_->lights.front().middle;
    double cursor = 0.0;
    double reached = -1e9;
    double offset = 0.0;
    for (const auto& light : night_->lights) {
        const double start = light.middle.secondsSince(first) - 0.5 * light.exposureSeconds;
        const double end = start + light.exposureSeconds;
        if (reached > -1e8 && start - reached > 3.0 * kFoldSeconds) {
            offset += start - reached - kFoldSeconds;
            folds_.emplace_back(cursor + 0.5 * kFoldSeconds, (start - reached) / 3600.0);
        } else if (reached < -1e8) {
            offset = start;
        }
        reached = std::max(reached, end);
        auto lane = std::find_if(lanes_.begin(), lanes_.end(), [&](const Lane& known) {
            return known.series == light.series;
        });
        if (lane == lanes_.end()) {
            lanes_.push_back({light.series, QString::fromStdString(light.seriesTitle)});
            lane = lanes_.end() - 1;
        }
        blocks_.push_back(
            {start - offset, end - offset, static_cast<int>(lane - lanes_.begin()), -1.0, false});
        cursor = std::max(cursor, end - offset);
    }
    span_ = std::max(cursor, 1.0);
    rateQuality();
    markMeasured();
}

void FrameRibbon::markMeasured() {
    for (const auto& m : night_->made) {
        if (const int place = m.seen ? night_->placeOf(m.frame) : -1; place >= 0) {
            blocks_[static_cast<std::size_t>(place)].measured = true;
        }
    }
}

void FrameRibbon::rateQuality() {
    std::map<int, std::pair<double, double>> range;
    for (std::size_t i = 0; i < blocks_.size(); ++i) {
        if (const auto value = qualityCost(night_->lights[i], drifts_[i], quality_)) {
            auto [at, fresh] = range.try_emplace(blocks_[i].lane, std::pair{*value, *value});
            at->second.first = std::min(at->second.first, *value);
            at->second.second = std::max(at->second.second, *value);
        }
    }
    for (std::size_t i = 0; i < blocks_.size(); ++i) {
        const auto value = qualityCost(night_->lights[i], drifts_[i], quality_);
        const auto limits = range.find(blocks_[i].lane);
        if (!value || limits == range.end()) {
            blocks_[i].quality = -1.0;
            continue;
        }
        const double width = std::max(1e-9, limits->second.second - limits->second.first);
        blocks_[i].quality = 1.0 - (*value - limits->second.first) / width;
    }
}

double FrameRibbon::xOf(double seconds) const {
    return ribbonLeft() + seconds / span_ * (width() - ribbonLeft() - kRibbonRight);
}

int FrameRibbon::laneOf(int index) const {
    return blocks_[static_cast<std::size_t>(index)].lane;
}

QRectF FrameRibbon::cellRect(int index) const {
    if (index < 0 || static_cast<std::size_t>(index) >= blocks_.size()) {
        return {};
    }
    const Block& b = blocks_[static_cast<std::size_t>(index)];
    const double x0 = xOf(b.start);
    const double x1 = std::max(x0 + 3.0, xOf(b.end) - 1.0);
    return {x0,
            ribbonTop() + laneHeight(lanes_.size()) * b.lane + 2.0,
            x1 - x0,
            std::max(2.0, laneHeight(lanes_.size()) - 5.0)};
}

int FrameRibbon::indexAt(const QPointF& point) const {
    int best = -1;
    double bestDistance = 1e9;
    for (std::size_t i = 0; i < blocks_.size(); ++i) {
        const QRectF cell = cellRect(static_cast<int>(i));
        const double dy = std::max({0.0, cell.top() - point.y(), point.y() - cell.bottom()});
        const double dx = std::max({0.0, cell.left() - point.x(), point.x() - cell.right()});
        const double distance = dx + 4.0 * dy;
        if (distance < bestDistance) {
            bestDistance = distance;
            best = static_cast<int>(i);
        }
    }
    return best;
}

void FrameRibbon::select(int index) {
    if (index >= 0 && index != selected_) {
        selected_ = index;
        update();
        emit selectedChanged(index);
    }
}

void FrameRibbon::setBracketStart(int index) {
    bracketStart_ = index;
    update();
}

void FrameRibbon::mousePressEvent(QMouseEvent* event) {
    const int index = indexAt(event->position());
    if (event->button() != Qt::LeftButton || index < 0) {
        return;
    }
    if ((event->modifiers() & Qt::ShiftModifier) != 0) {
        drawn_ = {index, index};
        update();
        return;
    }
    select(index);
}

void FrameRibbon::mouseMoveEvent(QMouseEvent* event) {
    const int index = indexAt(event->position());
    if ((event->buttons() & Qt::LeftButton) == 0 || index < 0) {
        return;
    }
    if (drawn_.first < 0) {
        select(index);
        return;
    }
    if (laneOf(index) == laneOf(drawn_.first)) {
        drawn_.second = index;
        update();
    }
}

void FrameRibbon::mouseReleaseEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton || drawn_.first < 0) {
        return;
    }
    const auto [first, last] = std::exchange(drawn_, {-1, -1});
    update();
    if (first == last) {
        emit bracketClicked(first);
    } else {
        emit bracketDrawn(std::min(first, last), std::max(first, last));
    }
}

void FrameRibbon::changeEvent(QEvent* event) {
    if (event->type() == QEvent::FontChange) {
        grow();
    }
    QWidget::changeEvent(event);
}

void FrameRibbon::resizeEvent(QResizeEvent*) {
    update();
}

QString FrameRibbon::tipOf(int index) const {
    const auto& light = night_->lights[static_cast<std::size_t>(index)];
    QString tip =
        tr("%1\n%2 UTC, %3 s")
            .arg(QString::fromStdString(light.raw.filename().string()), timeWords(light.middle, 1))
            .arg(light.exposureSeconds);
    if (light.fwhmPixels > 0.0) {
        tip +=
            "\n" +
            tr("FWHM %1 px, %n source(s)", nullptr, light.sources).arg(light.fwhmPixels, 0, 'f', 2);
    }
    if (const auto& drift = drifts_[static_cast<std::size_t>(index)]) {
        tip += "\n" + tr("Since the first of its series: RA %1″, Dec %2″, turned %3°")
                          .arg(drift->raArcsec, 0, 'f', 1)
                          .arg(drift->decArcsec, 0, 'f', 1)
                          .arg(drift->turnDegrees, 0, 'f', 3);
    }
    if (!light.problem.empty()) {
        tip += "\n" + tr("Not solved: %1").arg(QString::fromStdString(light.problem));
    }
    return tip;
}

bool FrameRibbon::event(QEvent* event) {
    if (event->type() == QEvent::ToolTip && night_ != nullptr) {
        const auto* help = static_cast<QHelpEvent*>(event);
        const int index = indexAt(help->pos());
        if (index >= 0 && cellRect(index).adjusted(-2, -3, 2, 3).contains(help->pos())) {
            QToolTip::showText(help->globalPos(), tipOf(index), this);
        } else {
            QToolTip::hideText();
        }
        return true;
    }
    return QWidget::event(event);
}

} // namespace pathmark::desk
