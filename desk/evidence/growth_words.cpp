#include "desk/evidence/growth_words.h"

#include "core/base/sexagesimal.h"
#include "desk/shell/words.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <functional>
#include <utility>

namespace pathmark::desk {
namespace {

constexpr double kMagPerPart = 1.0857;
constexpr double kLeastTold = 0.00005; ///< magnitudes

} // namespace

std::vector<PlotSet> growthSets(const measure::GrowthCurve& curve, double scaleArcsec) {
    PlotSet measured{Words::tr("measured"), 0, PlotRole::Agreed, PlotMark::Level, false, {}};
    PlotSet expected{Words::tr("of a point"), 0, PlotRole::Predicted, PlotMark::None, true, {}};
    PlotSet snr{Words::tr("signal-to-noise"), 1, PlotRole::Quiet, PlotMark::Lozenge, true, {}};
    for (std::size_t k = 0; k < curve.circles.size(); ++k) {
        const measure::CircleLight& circle = curve.circles[k];
        const double radius = circle.radius * scaleArcsec;
        const int id = static_cast<int>(k);
        if (curve.flux > 0.0) {
            measured.points.push_back({radius,
                                       100.0 * circle.flux / curve.flux,
                                       100.0 * circle.error / curve.flux,
                                       id,
                                       {}});
        }
        expected.points.push_back({radius, 100.0 * circle.share, 0.0, -1, {}});
        snr.points.push_back({radius, circle.expectedSnr, 0.0, id, {}});
    }
    return {expected, measured, snr};
}

namespace {

/// Of a comet: how much of it lies within the circles.
QString comaWords(const measure::GrowthCurve& curve,
                  const night::MeasurementRecord& fitted,
                  double scaleArcsec) {
    const measure::CircleLight& widest = curve.circles.back();
    if (!curve.magnitude || !fitted.magnitude || !(widest.flux > 0.0)) {
        return Words::tr("A coma: its light goes on growing where a point's has ended.");
    }
    const double within = *curve.magnitude - 2.5 * std::log10(widest.flux / curve.flux);
    return Words::tr("A coma: its light goes on growing where a point's has ended. %1 %2 mag are "
                     "within %3″; all of it has %4.")
        .arg(QString::fromStdString(fitted.band))
        .arg(within, 0, 'f', 2)
        .arg(widest.radius * scaleArcsec, 0, 'f', 1)
        .arg(*fitted.magnitude, 0, 'f', 2);
}

QString pointWords(const measure::GrowthCurve& curve,
                   const night::MeasurementRecord& fitted,
                   double scaleArcsec) {
    QString words;
    if (curve.magnitude) {
        words = Words::tr("%1 %2 mag from the circle of %3″, which has the best signal-to-noise, "
                          "made up to all of a point's light")
                    .arg(QString::fromStdString(fitted.band),
                         magnitudeWords(*curve.magnitude, curve.magnitudeError))
                    .arg(curve.circles[curve.best].radius * scaleArcsec, 0, 'f', 1);
        if (fitted.magnitude) {
            words += Words::tr("; %1 by the fit")
                         .arg(magnitudeWords(*fitted.magnitude, fitted.magnitudeError));
        }
        words += ".";
    }
    constexpr double surely = 4.0;
    const measure::CircleLight& widest = curve.circles.back();
    const double off = (widest.flux - widest.share * curve.flux) / widest.error;
    if (std::abs(off) > surely && !curve.isSaturated) {
        words += "\n" + (off > 0.0
                             ? Words::tr("It goes on growing where a point's light has ended: a "
                                         "coma, a neighbour, or another shape than that of the "
                                         "stars.")
                             : Words::tr("It ends before a point's light does: the sky about it is "
                                         "uneven, or it is sharper than the stars."));
    }
    return words;
}

/// What the error of the best circle is made of, the largest part first; what is nothing is not told.
QString errorWords(const measure::GrowthCurve& curve) {
    const measure::ErrorParts& error = curve.error;
    std::array<std::pair<double, QString>, 7> parts{
        std::pair{error.light, Words::tr("its own photons")},
        std::pair{error.sky, Words::tr("sky")},
        std::pair{error.reading, Words::tr("read noise")},
        std::pair{error.level, Words::tr("level of the sky")},
        std::pair{error.neighbours, Words::tr("neighbours")},
        std::pair{error.flat, Words::tr("flat")},
        std::pair{error.scintillation, Words::tr("scintillation")}};
    std::ranges::stable_sort(parts, std::greater(), &std::pair<double, QString>::first);
    QStringList told;
    for (const auto& [electrons, what] : parts) {
        if (kMagPerPart * electrons / curve.flux >= kLeastTold) {
            told << QString("%1 %2").arg(what).arg(kMagPerPart * electrons / curve.flux, 0, 'f', 4);
        }
    }
    return Words::tr("Error of the best circle, %1 mag, of these: %2.")
        .arg(kMagPerPart * error.all() / curve.flux, 0, 'f', 4)
        .arg(told.join(", "));
}

} // namespace

QString growthWords(const measure::GrowthCurve& curve,
                    const night::MeasurementRecord& fitted,
                    double scaleArcsec) {
    if (!(curve.flux > 0.0)) {
        return Words::tr("No light within %1″ above the sky.")
            .arg(curve.circles[curve.best].radius * scaleArcsec, 0, 'f', 1);
    }
    QString words = fitted.coma ? comaWords(curve, fitted, scaleArcsec)
                                : pointWords(curve, fitted, scaleArcsec);
    words += "\n" + errorWords(curve);
    if (curve.isBlended) {
        words += "\n" + Words::tr("The light of neighbours reaches into it.");
    }
    if (curve.isSaturated) {
        words += "\n" + Words::tr("It is saturated: light is missing.");
    }
    return words;
}

QString modelWords(night::HandModel model) {
    switch (model) {
    case night::HandModel::Place: return Words::tr("The very place pointed at");
    case night::HandModel::Trail: return Words::tr("The trail at the place pointed at");
    case night::HandModel::Coma: return Words::tr("The coma at the place pointed at");
    case night::HandModel::Light: break;
    }
    return Words::tr("The light at the place pointed at");
}

namespace {

QString trailWords(const night::FoundTrail& trail, double exposureSeconds) {
    return Words::tr("Trail of %1 ± %2″ towards %3 ± %4°, or the opposite way: %5″ a minute.")
        .arg(trail.lengthArcsec, 0, 'f', 2)
        .arg(trail.lengthErrorArcsec, 0, 'f', 2)
        .arg(trail.positionAngle.degrees(), 0, 'f', 1)
        .arg(trail.angleError.degrees(), 0, 'f', 1)
        .arg(trail.rateArcsecPerMin(exposureSeconds), 0, 'f', 2);
}

} // namespace

QString hereWords(const night::MeasuredHere& here) {
    const night::MeasurementRecord& m = here.record;
    QString words;
    if (m.seen) {
        words = Words::tr("RA %1 ± %2″  Dec %3 ± %4″  S/N %5")
                    .arg(QString::fromStdString(toHours(m.sky.longitude, 3)))
                    .arg(m.raErrorArcsec, 0, 'f', 3)
                    .arg(QString::fromStdString(toDegrees(m.sky.latitude, 2)))
                    .arg(m.decErrorArcsec, 0, 'f', 3)
                    .arg(m.snr, 0, 'f', 1);
    } else {
        words = Words::tr("Nothing stands here above 3 sigma.");
        if (here.limit) {
            words += ' ' + Words::tr("A light of %1 %2 mag would.")
                               .arg(QString::fromStdString(m.band))
                               .arg(*here.limit, 0, 'f', 1);
        }
    }
    if (here.trail) {
        words += "\n" + trailWords(*here.trail, m.exposureSeconds);
    }
    if (m.coma && m.magnitude) {
        words += "\n" + Words::tr("Coma: %1 %2 ± %3 mag in all, out to %4″, brightness as rho^−%5.")
                            .arg(QString::fromStdString(m.band))
                            .arg(*m.magnitude, 0, 'f', 2)
                            .arg(m.magnitudeError, 0, 'f', 2)
                            .arg(m.coma->extentArcsec, 0, 'f', 0)
                            .arg(m.coma->slope, 0, 'f', 2);
    }
    if (here.star) {
        words += "\n" + Words::tr("A star of the catalogue: %1, G %2")
                            .arg(here.star->sourceId)
                            .arg(here.star->magG, 0, 'f', 2);
        if (std::isfinite(here.star->colour)) {
            words += Words::tr(", BP − RP %1").arg(here.star->colour, 0, 'f', 2);
        }
    }
    if (m.seen && !m.reason.empty()) {
        words += "\n" + Words::tr("Needs an eye: %1.").arg(QString::fromStdString(m.reason));
    }
    return words;
}

QString separationWords(const night::MeasurementRecord& from, const night::MeasurementRecord& to) {
    const PlanePos way = toTangentPlane(from.sky, to.sky);
    const double east = Angle::radians(way.xi).arcsec();
    const double north = Angle::radians(way.eta).arcsec();
    const double apart = separation(from.sky, to.sky).arcsec();
    // Along the line between them; across it an error turns it and makes it no longer.
    const auto along = [&](const night::MeasurementRecord& m) {
        return apart > 0.0
                   ? std::hypot(m.raErrorArcsec * east / apart, m.decErrorArcsec * north / apart)
                   : std::hypot(m.raErrorArcsec, m.decErrorArcsec);
    };
    const double error = std::hypot(along(from), along(to));
    QString words =
        Words::tr("%1 ± %2″ from the place held, towards %3°")
            .arg(apart, 0, 'f', 3)
            .arg(error, 0, 'f', 3)
            .arg(normalised(Angle::radians(std::atan2(way.xi, way.eta))).degrees(), 0, 'f', 1);
    const double minutes = to.time.secondsSince(from.time) / 60.0;
    if (std::abs(minutes) > 0.01) {
        words += Words::tr("; %1 min later: %2 ± %3″ a minute")
                     .arg(minutes, 0, 'f', 2)
                     .arg(apart / std::abs(minutes), 0, 'f', 4)
                     .arg(error / std::abs(minutes), 0, 'f', 4);
    }
    return words + ".";
}

} // namespace pathmark::desk
