#include "desk/orbit/orbit_plot.h"

#include "desk/shell/words.h"
#include "desk/theme/theme.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <utility>

namespace pathmark::desk {
namespace {

constexpr double kNightGap = 0.5; ///< days between two nights
constexpr double kNightFold =
    0.35; ///< of the axis, between two nights; a night of one observation takes 1
constexpr double kFarthestIn =
    4.0; ///< times what is used reaches: farther ones stand outside until one zooms out

double daysBetween(const orbit::Sighting& a, const orbit::Sighting& b) {
    return b.observer.utc.secondsSince(a.observer.utc) / kSecondsPerDay;
}

} // namespace

ObservationPart partOf(const night::BodyOrbit& orbit, std::size_t sighting) {
    const std::size_t source = orbit.judgement.sightings[sighting].source;
    if (orbit.what.given.switchedOff[source]) {
        return ObservationPart::SwitchedOff;
    }
    if (!orbit.judgement.residuals.empty() && !orbit.judgement.residuals[sighting].used) {
        return ObservationPart::LeftOut;
    }
    return source < orbit.what.given.old ? ObservationPart::Used : ObservationPart::Tonight;
}

OrbitPlot::OrbitPlot(QWidget* parent) : Plot(parent) {
    setObjectName("orbitPlot");
    setLeastHeight(200);
    setToolTip(tr("Observed minus computed, one standard deviation as bar. Click an observation to "
                  "take it out of the orbit or back (O). Crosses were left out by the fit, "
                  "lozenges by you."));
}

/// Lays the nights side by side, each as wide as the square root of its observations, with a date for as many as have room.
void OrbitPlot::foldTime() {
    const auto& sightings = orbit_->judgement.sightings;
    places_.assign(sightings.size(), 0.0);
    time_ = {tr("observed minus computed, night by night"), false, false, {}, {}};
    std::vector<std::pair<std::size_t, std::size_t>> nights; // first, one behind the last
    for (std::size_t i = 0; i < sightings.size(); ++i) {
        if (i == 0 || daysBetween(sightings[i - 1], sightings[i]) > kNightGap) {
            nights.emplace_back(i, i);
        }
        nights.back().second = i + 1;
    }
    const std::size_t everyDate = (nights.size() + datesWithRoom() - 1) / datesWithRoom();
    double left = 0.0;
    for (std::size_t n = 0; n < nights.size(); ++n) {
        const auto [first, last] = nights[n];
        const double width = std::sqrt(static_cast<double>(last - first));
        const double whole = daysBetween(sightings[first], sightings[last - 1]);
        for (std::size_t i = first; i < last; ++i) {
            const double share =
                whole > 0.0 ? daysBetween(sightings[first], sightings[i]) / whole : 0.5;
            places_[i] = left + share * width;
        }
        if (n % everyDate == 0) {
            time_.ticks.emplace_back(
                left + 0.5 * width,
                QString::fromStdString(toIso(sightings[first].observer.utc, 0).substr(0, 10)));
        }
        left += width + kNightFold;
        if (n + 1 < nights.size()) {
            time_.folds.push_back(left - 0.5 * kNightFold);
        }
    }
}

/// How many dates stand below the plot without touching each other.
std::size_t OrbitPlot::datesWithRoom() const {
    const double date = fontMetrics().horizontalAdvance("2034-03-17 ") + scaled(8.0);
    return std::max<std::size_t>(1, static_cast<std::size_t>(std::max(0.0, 0.75 * width() / date)));
}

void OrbitPlot::resizeEvent(QResizeEvent* event) {
    Plot::resizeEvent(event);
    if (orbit_ != nullptr && datesWithRoom() != dates_) {
        setOrbit(orbit_);
    }
}

/// How far what is used reaches from zero, arcsec: all but the last three in a hundred.
double OrbitPlot::reach() const {
    std::vector<double> sizes;
    for (std::size_t i = 0; i < places_.size(); ++i) {
        const auto& r = orbit_->judgement.residuals[i];
        if (r.used) {
            const double sigma = orbit_->judgement.sightings[i].sigmaXi / kRadiansPerArcsec;
            sizes.push_back(std::max(std::abs(r.xiArcsec), std::abs(r.etaArcsec)) + sigma);
        }
    }
    if (sizes.empty()) {
        return std::numeric_limits<double>::infinity();
    }
    std::sort(sizes.begin(), sizes.end());
    return std::max(0.02, sizes[(sizes.size() - 1) * 97 / 100]);
}

PlotPoint OrbitPlot::pointOf(std::size_t i, bool declination) const {
    const auto& s = orbit_->judgement.sightings[i];
    const auto& r = orbit_->judgement.residuals[i];
    const auto& station = orbit_->what.given.observations[s.source].station;
    return {places_[i],
            declination ? r.etaArcsec : r.xiArcsec,
            (declination ? s.sigmaEta : s.sigmaXi) / kRadiansPerArcsec,
            static_cast<int>(i),
            tr("%1 UTC, station %2: RA %3″, Dec %4″")
                .arg(timeWords(s.observer.utc), QString::fromStdString(station))
                .arg(r.xiArcsec, 0, 'f', 2)
                .arg(r.etaArcsec, 0, 'f', 2)};
}

void OrbitPlot::setOrbit(std::shared_ptr<const night::BodyOrbit> orbit) {
    orbit_ = std::move(orbit);
    places_.clear();
    if (orbit_ == nullptr || orbit_->judgement.residuals.empty()) {
        setSets({});
        return;
    }
    dates_ = datesWithRoom();
    foldTime();
    setAxes(time_, {{tr("RA, ″"), false, true}, {tr("Dec, ″"), false, true}});
    std::vector<PlotSet> sets;
    const double farthest = kFarthestIn * reach();
    for (const bool declination : {false, true}) {
        const int panel = declination ? 1 : 0;
        std::array<PlotSet, 4> parts{
            PlotSet{tr("used"), panel, PlotRole::Agreed, PlotMark::Level, false, {}},
            PlotSet{tr("tonight"), panel, PlotRole::Text, PlotMark::Upright, false, {}},
            PlotSet{
                tr("left out by the fit"), panel, PlotRole::Disagrees, PlotMark::Cross, false, {}},
            PlotSet{tr("taken out by you"), panel, PlotRole::Quiet, PlotMark::Lozenge, false, {}}};
        PlotSet far = parts[static_cast<std::size_t>(ObservationPart::LeftOut)];
        far.name = tr("left out by the fit, far off");
        far.setsRange = false;
        for (std::size_t i = 0; i < places_.size(); ++i) {
            PlotPoint point = pointOf(i, declination);
            const ObservationPart part = partOf(*orbit_, i);
            PlotSet& set =
                std::abs(point.y) > farthest ? far : parts[static_cast<std::size_t>(part)];
            // A bar says what the fit weighs an observation with: those out of it have none.
            point.error = part == ObservationPart::Used || part == ObservationPart::Tonight
                              ? point.error
                              : 0.0;
            set.points.push_back(std::move(point));
        }
        sets.insert(sets.end(), parts.begin(), parts.end());
        sets.push_back(std::move(far));
    }
    setSets(std::move(sets));
}

QPointF OrbitPlot::markOf(int sighting, bool declination) const {
    const auto at = static_cast<std::size_t>(sighting);
    const auto& r = orbit_->judgement.residuals[at];
    return placeOf(declination ? 1 : 0, places_[at], declination ? r.etaArcsec : r.xiArcsec);
}

} // namespace pathmark::desk
