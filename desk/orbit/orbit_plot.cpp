#include "desk/orbit/orbit_plot.h"

#include "desk/theme/theme.h"

#include <QMouseEvent>
#include <QPainter>

#include <algorithm>
#include <cmath>

namespace pathmark::desk {
namespace {

constexpr double kFoot = 18.0;     ///< room for the dates
constexpr double kFold = 10.0;     ///< between two nights
constexpr double kNightGap = 0.5;  ///< days
constexpr double kReachable = 9.0; ///< pixels from a mark that a click still takes it

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

OrbitPlot::OrbitPlot(QWidget* parent) : QWidget(parent) {
    setObjectName("orbitPlot");
    setMinimumHeight(170);
    setToolTip(
        "Observed minus computed, one standard deviation as bar. Click an observation to "
        "take it out of the orbit or back (O); crosses were left out by the fit, rings by you.");
}

void OrbitPlot::setOrbit(std::shared_ptr<const night::BodyOrbit> orbit) {
    orbit_ = std::move(orbit);
    layOut();
    update();
}

void OrbitPlot::setChosen(int sighting) {
    chosen_ = sighting;
    update();
}

void OrbitPlot::resizeEvent(QResizeEvent*) {
    layOut();
}

void OrbitPlot::layOut() {
    stretches_.clear();
    if (orbit_ == nullptr || orbit_->judgement.residuals.empty()) {
        return;
    }
    const auto& sightings = orbit_->judgement.sightings;
    std::vector<double> sizes;
    for (std::size_t i = 0; i < sightings.size(); ++i) {
        if (i == 0 || daysBetween(sightings[i - 1], sightings[i]) > kNightGap) {
            stretches_.push_back({i, i, 0.0, 0.0});
        }
        stretches_.back().last = i;
        const auto& r = orbit_->judgement.residuals[i];
        if (r.used) {
            const double sigma = sightings[i].sigmaXi / kRadiansPerArcsec;
            sizes.push_back(std::max(std::abs(r.xiArcsec), std::abs(r.etaArcsec)) + sigma);
        }
    }
    if (!sizes.empty()) {
        std::sort(sizes.begin(), sizes.end());
        reach_ = std::max(0.02, 1.15 * sizes[(sizes.size() - 1) * 97 / 100]);
    }
    double weights = 0.0;
    const auto weightOf = [](const Stretch& s) {
        return std::sqrt(static_cast<double>(s.last - s.first + 1));
    };
    for (const Stretch& s : stretches_) {
        weights += weightOf(s);
    }
    const double room = width() - 10.0 - kFold * static_cast<double>(stretches_.size() - 1);
    double left = 5.0;
    for (Stretch& s : stretches_) {
        s.left = left;
        s.right = left + std::max(4.0, room * weightOf(s) / weights);
        left = s.right + kFold;
    }
}

QRectF OrbitPlot::box(bool declination) const {
    const double half = 0.5 * (height() - kFoot - 6.0);
    return {2.0, declination ? half + 5.0 : 1.0, width() - 5.0, half - 1.0};
}

double OrbitPlot::xOf(std::size_t sighting) const {
    const auto& sightings = orbit_->judgement.sightings;
    for (const Stretch& s : stretches_) {
        if (sighting >= s.first && sighting <= s.last) {
            const double whole = daysBetween(sightings[s.first], sightings[s.last]);
            const double share =
                whole > 0.0 ? daysBetween(sightings[s.first], sightings[sighting]) / whole : 0.5;
            return s.left + 6.0 + share * std::max(0.0, s.right - s.left - 12.0);
        }
    }
    return 0.0;
}

QPointF OrbitPlot::markOf(int sighting, bool declination) const {
    const auto at = static_cast<std::size_t>(sighting);
    const auto& r = orbit_->judgement.residuals[at];
    const QRectF area = box(declination);
    const double value = declination ? r.etaArcsec : r.xiArcsec;
    return {xOf(at),
            area.center().y() -
                std::clamp(value / reach_, -1.0, 1.0) * (0.5 * area.height() - 5.0)};
}

void OrbitPlot::drawMark(QPainter& painter, std::size_t sighting, bool declination) const {
    const Colours& c = colours();
    const auto& s = orbit_->judgement.sightings[sighting];
    const QPointF p = markOf(static_cast<int>(sighting), declination);
    const bool chosen = static_cast<int>(sighting) == chosen_;
    const ObservationPart part = partOf(*orbit_, sighting);
    const QColor colour = part == ObservationPart::Tonight   ? c.inHand
                          : part == ObservationPart::LeftOut ? c.disagrees
                          : part == ObservationPart::Used    ? c.agreed
                                                             : c.quiet;
    painter.setPen(QPen(chosen ? c.text : colour, chosen ? 2.2 : 1.3));
    if (part == ObservationPart::LeftOut) {
        painter.drawLine(p + QPointF(-3.5, -3.5), p + QPointF(3.5, 3.5));
        painter.drawLine(p + QPointF(-3.5, 3.5), p + QPointF(3.5, -3.5));
        return;
    }
    if (part == ObservationPart::SwitchedOff) {
        painter.drawEllipse(p, 3.5, 3.5);
        return;
    }
    const double sigma = (declination ? s.sigmaEta : s.sigmaXi) / kRadiansPerArcsec;
    const double bar = std::min(sigma / reach_, 1.0) * (0.5 * box(declination).height() - 5.0);
    painter.drawLine(p + QPointF(0.0, -bar), p + QPointF(0.0, bar));
    painter.drawLine(p + QPointF(-3.0, 0.0), p + QPointF(3.0, 0.0));
}

void OrbitPlot::drawAxis(QPainter& painter, bool declination) const {
    const Colours& c = colours();
    const QRectF area = box(declination);
    painter.setPen(QPen(c.line, 1.0));
    for (const Stretch& s : stretches_) {
        const QRectF night(s.left, area.top(), s.right - s.left, area.height());
        painter.fillRect(night, c.panel);
        painter.drawLine(QPointF(s.left, area.center().y()), QPointF(s.right, area.center().y()));
    }
    for (std::size_t i = 0; i < orbit_->judgement.sightings.size(); ++i) {
        drawMark(painter, i, declination);
    }
    const QColor veil(c.ground.red(), c.ground.green(), c.ground.blue(), 190);
    const auto label = [&](int where, const QString& words) {
        const QRectF text = area.adjusted(6, 1, -6, -1);
        painter.fillRect(painter.boundingRect(text, where, words), veil);
        painter.setPen(c.quiet);
        painter.drawText(text, where, words);
    };
    label(Qt::AlignTop | Qt::AlignLeft, declination ? "Dec O−C" : "RA O−C");
    label(Qt::AlignTop | Qt::AlignRight, QString("± %1″").arg(reach_, 0, 'g', 2));
}

void OrbitPlot::drawDates(QPainter& painter) const {
    painter.setPen(colours().quiet);
    double free = 0.0;
    for (const Stretch& s : stretches_) {
        const Utc& time = orbit_->judgement.sightings[s.first].observer.utc;
        const QString date = QString::fromStdString(toIso(time, 0)).left(10);
        const double wide = painter.fontMetrics().horizontalAdvance(date);
        const double left =
            std::clamp(0.5 * (s.left + s.right - wide), 2.0, std::max(2.0, width() - wide - 2.0));
        // A date that has no room is left out; the table has them all.
        if (left >= free) {
            painter.drawText(QPointF(left, height() - 4.0), date);
            free = left + wide + 8.0;
        }
    }
}

void OrbitPlot::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    if (stretches_.empty()) {
        return;
    }
    drawAxis(painter, false);
    drawAxis(painter, true);
    drawDates(painter);
}

void OrbitPlot::mousePressEvent(QMouseEvent* event) {
    if (stretches_.empty()) {
        return;
    }
    int nearest = -1;
    double least = kReachable;
    for (int i = 0; i < static_cast<int>(orbit_->judgement.sightings.size()); ++i) {
        for (const bool declination : {false, true}) {
            const QPointF off = markOf(i, declination) - event->position();
            const double apart = std::hypot(off.x(), off.y());
            if (apart < least) {
                least = apart;
                nearest = i;
            }
        }
    }
    if (nearest >= 0) {
        emit chosen(nearest);
        emit toggled(nearest);
    }
}

} // namespace pathmark::desk
