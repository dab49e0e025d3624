#include "desk/orbit/orbit_words.h"

#include "core/identify/bodies_in_frame.h"
#include "desk/shell/words.h"
#include "desk/theme/theme.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace pathmark::desk {
namespace {

QString coloured(const QColor& colour, const QString& words) {
    return QString("<span style='color:%1'>%2</span>").arg(colour.name(), words);
}

QString quiet(const QString& words) {
    return coloured(colours().quiet, words);
}

/// A value with its error, to the digits that the error leaves.
QString measured(double value, double error, const QString& unit) {
    const int decimals =
        error > 0.0 ? std::clamp(1 - static_cast<int>(std::floor(std::log10(error))), 0, 9) : 6;
    QString text = QString::number(value, 'f', decimals);
    if (text.startsWith('-')) {
        text.replace(0, 1, text.toDouble() == 0.0 ? "" : "−");
    }
    return QString("%1 ± %2%3").arg(text).arg(error, 0, 'f', decimals).arg(unit);
}

/// An angle on the sky in the unit that reads best.
QString angleWords(Angle angle) {
    const double arcsec = angle.arcsec();
    return arcsec < 90.0     ? QString("%1″").arg(arcsec, 0, 'g', 2)
           : arcsec < 5400.0 ? QString("%1′").arg(arcsec / 60.0, 0, 'f', 1)
                             : QString("%1°").arg(angle.degrees(), 0, 'f', 1);
}

QString rangeWords(const orbit::CloudRanges::Range& range, const QString& unit) {
    return Words::tr("%1 to %2%3").arg(range.least, 0, 'g', 3).arg(range.most, 0, 'g', 3).arg(unit);
}

QString cloudWords(const orbit::OrbitCloud& cloud) {
    const orbit::CloudRanges ranges = orbit::rangesOf(cloud);
    return Words::tr("<b>Many orbits agree with so short an arc</b> (95 %): distance %1, q %2, "
                     "e %3, i %4<br>")
        .arg(rangeWords(ranges.distanceAu, " au"),
             rangeWords(ranges.perihelionAu, " au"),
             rangeWords(ranges.eccentricity, ""),
             rangeWords(ranges.inclinationDegrees, "°"));
}

} // namespace

QString matchWords(const NightSnapshot& night, const orbit::BodyId& body) {
    const Colours& c = colours();
    for (const auto& track : night.tracks) {
        if (orbit::BodyId::of(track.name) == body) {
            QString text = Words::tr("Candidate: %1 of %2 frames agree on one motion, %3″/min "
                                     "towards %4°. ")
                               .arg(track.members.size())
                               .arg(track.framesLooked)
                               .arg(track.rateArcsecPerMin, 0, 'f', 3)
                               .arg(track.positionAngleDegrees, 0, 'f', 1);
            text += track.falseTracksLog10 < -6.0
                        ? Words::tr("Chance does not make such a track.")
                        : Words::tr("Chance makes such a track in one field of %1.")
                              .arg(std::pow(10.0, -track.falseTracksLog10), 0, 'g', 2);
            if (!track.resembles.empty()) {
                text += Words::tr(" It moves like %1, %2 from its prediction.")
                            .arg(QString::fromStdString(track.resembles).toHtmlEscaped(),
                                 angleWords(Angle::arcsec(track.resemblesArcsec)));
            }
            return text;
        }
    }
    int shown = 0;
    int found = 0;
    int predicted = 0;
    for (const auto& p : night.predictions) {
        if (p.body == body) {
            ++predicted;
            const bool inReach = p.snr.value_or(0.0) >= identify::kReachSnr;
            shown += inReach ? 1 : 0;
            found += inReach && p.match ? 1 : 0;
        }
    }
    if (predicted == 0) {
        return {};
    }
    if (shown == 0) {
        return quiet(
            Words::tr("In %1 frames, in each of them too faint to be seen alone.").arg(predicted));
    }
    const QString text = Words::tr("%1 of %2 frames that can show it have a source where it is "
                                   "predicted.")
                             .arg(found)
                             .arg(shown);
    return 2 * found >= shown
               ? coloured(c.agreed, text)
               : coloured(c.disagrees, "△ " + text + Words::tr(" It should be seen: look."));
}

QString fitWords(const night::BodyOrbit& orbit) {
    const auto& judgement = orbit.judgement;
    if (!judgement.fit) {
        return Words::tr(
                   "<b>%1 places</b> of a short arc: no single orbit stands for all that agree. "
                   "O−C are against the likeliest.")
            .arg(judgement.sightings.size());
    }
    const auto& fit = *judgement.fit;
    const std::size_t tonight = orbit.what.given.observations.size() - orbit.what.given.old;
    QString text =
        Words::tr("<b>%1 of %2 places</b>, %3 tonight's · %4 days · rms %5″ · reduced χ² %6<br>")
            .arg(fit.orbit.used)
            .arg(judgement.sightings.size())
            .arg(tonight)
            .arg(fit.arcDays, 0, 'f', fit.arcDays < 10.0 ? 2 : 0)
            .arg(fit.orbit.rmsArcsec(), 0, 'f', 2)
            .arg(fit.orbit.reducedChiSquare(), 0, 'f', 2);
    if (!judgement.leftOut.empty()) {
        text += quiet(
            Words::tr("%1 cannot be used: %2<br>")
                .arg(judgement.leftOut.size())
                .arg(QString::fromStdString(judgement.leftOut.front().detail).toHtmlEscaped()));
    }
    if (const auto& t = orbit.tonight) {
        // The orbit without tonight's is itself uncertain there.
        const double ra = std::hypot(t->raError, t->orbitRaArcsec);
        const double dec = std::hypot(t->decError, t->orbitDecArcsec);
        const bool agrees = t->agrees();
        const QString words =
            Words::tr("Tonight's %1 positions %2 the orbit fitted without them: RA %3, Dec %4.")
                .arg(t->count)
                .arg(agrees ? Words::tr("agree with") : Words::tr("disagree with"))
                .arg(measured(t->raMean, ra, "″"))
                .arg(measured(t->decMean, dec, "″"));
        text += coloured(agrees ? colours().agreed : colours().disagrees,
                         agrees ? words : "△ " + words);
    }
    return text;
}

QString problemWords(const std::vector<Error>& problems) {
    if (problems.empty()) {
        return {};
    }
    const QString first = QString::fromStdString(toMessage(problems.front())).toHtmlEscaped();
    return coloured(colours().disagrees,
                    problems.size() == 1
                        ? QString("<br>△ %1").arg(first)
                        : Words::tr("<br>△ %1 lines could not be read; the first: %2")
                              .arg(problems.size())
                              .arg(first));
}

QString elementWords(const night::BodyOrbit& orbit) {
    QString text;
    if (orbit.judgement.cloud) {
        text += cloudWords(*orbit.judgement.cloud);
    }
    if (!orbit.judgement.fit || !orbit.errors) {
        return text;
    }
    const orbit::Elements& e = orbit.judgement.fit->elements;
    const orbit::ElementErrors& s = *orbit.errors;
    const QString perihelion = QString::fromStdString(toIso(toUtc(e.perihelionTime), 0)).left(10);
    const std::array<std::pair<QString, QString>, 6> cells{
        {{"q", measured(e.perihelionAu, s.perihelionAu, " au")},
         {"e", measured(e.eccentricity, s.eccentricity, "")},
         {"T", QString("%1 ± %2 d").arg(perihelion).arg(s.perihelionDays, 0, 'g', 2)},
         {"i", measured(e.inclination.degrees(), s.inclination.degrees(), "°")},
         {"node", measured(e.node.degrees(), s.node.degrees(), "°")},
         {"peri", measured(e.argument.degrees(), s.argument.degrees(), "°")}}};
    text += "<table width='100%'>";
    for (std::size_t row = 0; row < 3; ++row) {
        const auto& [left, leftValue] = cells[row];
        const auto& [right, rightValue] = cells[row + 3];
        text += QString("<tr><td>%1 %2</td><td>%3 %4</td></tr>")
                    .arg(quiet(left), leftValue, quiet(right), rightValue);
    }
    return text + "</table>";
}

QString boundsWords(const night::BodyOrbit& orbit) {
    if (!orbit.bounds) {
        return {};
    }
    const orbit::MotionBounds& b = *orbit.bounds;
    return Words::tr("%1 %2 within %3 × %4 (1 σ), %5 towards %6")
        .arg(quiet("at"))
        .arg(QString::fromStdString(toIso(b.time, 0)).mid(11, 5))
        .arg(angleWords(b.place.major), angleWords(b.place.minor))
        .arg(measured(b.rateArcsecPerMin, 0.5 * (b.mostRate - b.leastRate), "″/min"))
        .arg(measured(b.positionAngle.degrees(), b.angleSpread.degrees(), "° (95 %)"));
}

} // namespace pathmark::desk
