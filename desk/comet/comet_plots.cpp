#include "desk/comet/comet_plots.h"

#include "desk/shell/words.h"

#include <cmath>

namespace pathmark::desk {

std::vector<PlotSet> cometSets(const night::CometLook& look) {
    PlotSet within{Words::tr("within the circle"), 0, PlotRole::Agreed, PlotMark::Level, false, {}};
    PlotSet dust{Words::tr("A(θ)fρ"), 1, PlotRole::Agreed, PlotMark::Level, false, {}};
    PlotSet atZero{
        Words::tr("at phase zero"), 1, PlotRole::Predicted, PlotMark::Lozenge, false, {}};
    PlotSet surface{Words::tr("coma"), 2, PlotRole::Text, PlotMark::Lozenge, true, {}};
    for (std::size_t k = 0; k < look.circles.size(); ++k) {
        const night::CometCircle& circle = look.circles[k];
        const int id = static_cast<int>(k);
        if (circle.magnitude) {
            within.points.push_back(
                {circle.radiusArcsec, *circle.magnitude, circle.magnitudeError, id, {}});
        }
        if (circle.afrho) {
            dust.points.push_back({circle.radiusArcsec, *circle.afrho, circle.afrhoError, id, {}});
        }
        if (circle.a0frho) {
            atZero.points.push_back({circle.radiusArcsec, *circle.a0frho, 0.0, id, {}});
        }
        if (circle.surface) {
            surface.points.push_back({circle.radiusArcsec, *circle.surface, 0.0, id, {}});
        }
    }
    return {within, dust, atZero, surface};
}

QString cometWords(const night::CometLook& look, int index) {
    const QString band = QString::fromStdString(std::string(catalog::name(look.band)));
    QString words =
        Words::tr("The inner coma falls as 1/ρ to the power of %1 and stands out to %2″")
            .arg(look.slope, 0, 'f', 2)
            .arg(look.extentArcsec, 0, 'f', 0);
    if (look.geometry) {
        words += Words::tr(", %1 km").arg(
            QString::number(look.geometry->kilometres(look.extentArcsec), 'f', 0));
    }
    words += ".";
    if (look.nucleus.magnitude) {
        words +=
            " " +
            Words::tr("All of its light: %1 %2 mag.")
                .arg(band, magnitudeWords(*look.nucleus.magnitude, look.nucleus.magnitudeError));
    }
    if (look.tail) {
        words += " " + Words::tr("The tail points to %1°").arg(look.tail->degrees(), 0, 'f', 0);
        if (look.geometry) {
            words += Words::tr("; away from the Sun is %1°, back along the orbit %2°")
                         .arg(look.geometry->antiSolar.degrees(), 0, 'f', 0)
                         .arg(look.geometry->behind.degrees(), 0, 'f', 0);
        }
        words += ".";
    }
    if (look.geometry) {
        words += " " + Words::tr("%1 au from the Sun, %2 au from here, phase %3°.")
                           .arg(look.geometry->sunAu, 0, 'f', 3)
                           .arg(look.geometry->earthAu, 0, 'f', 3)
                           .arg(look.geometry->phase.degrees(), 0, 'f', 1);
    }
    if (index < 0 || static_cast<std::size_t>(index) >= look.circles.size()) {
        return words;
    }
    const night::CometCircle& circle = look.circles[static_cast<std::size_t>(index)];
    QString line = Words::tr("Within %1″").arg(circle.radiusArcsec, 0, 'f', 1);
    if (look.geometry) {
        line +=
            Words::tr(" (%1 km)").arg(look.geometry->kilometres(circle.radiusArcsec), 0, 'f', 0);
    }
    if (circle.magnitude) {
        line += Words::tr(": %1 %2 mag")
                    .arg(band, magnitudeWords(*circle.magnitude, circle.magnitudeError));
    }
    if (circle.afrho) {
        line += Words::tr("; A(θ)fρ %1 ± %2 cm")
                    .arg(*circle.afrho, 0, 'f', 1)
                    .arg(circle.afrhoError, 0, 'f', 1);
    }
    if (circle.a0frho) {
        line += Words::tr(", at phase zero %1 cm").arg(*circle.a0frho, 0, 'f', 1);
    }
    return words + "\n" + line + ".";
}

QString colourWords(const night::CometColour& colour) {
    QString words = Words::tr("Colour within %1″: %2 − %3 %4")
                        .arg(colour.radiusArcsec, 0, 'f', 1)
                        .arg(QString::fromStdString(colour.bluer),
                             QString::fromStdString(colour.redder),
                             magnitudeWords(colour.colour, colour.error));
    if (colour.minutesApart > 0.1) {
        words += Words::tr(", of frames %1 min apart").arg(colour.minutesApart, 0, 'f', 1);
    }
    return words + ".";
}

} // namespace pathmark::desk
