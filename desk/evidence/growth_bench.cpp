#include "desk/evidence/growth_bench.h"

#include "core/base/sexagesimal.h"
#include "core/night/growth_of.h"
#include "desk/evidence/place_on_frame.h"
#include "desk/session/message.h"
#include "desk/session/night_session.h"
#include "desk/shell/words.h"
#include "desk/sky/sky_view.h"

#include <QStringList>
#include <QVBoxLayout>

#include <fmt/format.h>

#include <cmath>

namespace pathmark::desk {
namespace {

constexpr double kMagPerPart = 1.0857;

QString magnitudes(double value, double error) {
    const int decimals = error < 0.01 ? 3 : 2;
    return QString("%1 ± %2").arg(value, 0, 'f', decimals).arg(error, 0, 'f', decimals);
}

/// The place of the stack nearest in time; -1: none.
int nearestStack(const Measurements& measurements, const Utc& time) {
    int nearest = -1;
    double least = 0.0;
    for (std::size_t i = 0; i < measurements.size(); ++i) {
        const double apart = std::abs(measurements[i].time.secondsSince(time));
        if (measurements[i].onStack && (nearest < 0 || apart < least)) {
            nearest = static_cast<int>(i);
            least = apart;
        }
    }
    return nearest;
}

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
                         magnitudes(*curve.magnitude, curve.magnitudeError))
                    .arg(curve.circles[curve.best].radius * scaleArcsec, 0, 'f', 1);
        if (fitted.magnitude) {
            words += Words::tr("; %1 by the fit")
                         .arg(magnitudes(*fitted.magnitude, fitted.magnitudeError));
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
    const auto part = [&](double electrons) {
        return QString::number(kMagPerPart * electrons / curve.flux, 'f', 3);
    };
    words += "\n" + Words::tr("Error of the best circle in magnitudes: its own photons %1, sky and "
                              "read noise %2, level of the sky %3, neighbours %4.")
                        .arg(part(curve.error.light),
                             part(curve.error.pixels),
                             part(curve.error.level),
                             part(curve.error.neighbours));
    if (curve.isBlended) {
        words += "\n" + Words::tr("The light of neighbours reaches into it.");
    }
    if (curve.isSaturated) {
        words += "\n" + Words::tr("It is saturated: light is missing.");
    }
    return words;
}

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

GrowthBench::GrowthBench(NightSession& session, SkyView& sky, QWidget* parent)
    : QWidget(parent), session_(session), measuring_(session.jobs(), 1), title_(new QLabel),
      plot_(new Plot), words_(new QLabel) {
    setObjectName("growth");
    title_->setObjectName("growthTitle");
    title_->setTextFormat(Qt::PlainText);
    title_->setWordWrap(true);
    words_->setObjectName("growthWords");
    words_->setTextFormat(Qt::PlainText);
    words_->setWordWrap(true);
    words_->setTextInteractionFlags(Qt::TextSelectableByMouse);
    plot_->setObjectName("growthPlot");
    plot_->setAccessibleName(tr("Light within circles about the measured place"));
    plot_->setLeastHeight(240);
    plot_->setAxes({tr("radius of the circle, ″")},
                   {{tr("light within it, %")}, {tr("signal-to-noise of it")}});
    plot_->setWords([this](int circle) { return wordsOf(circle); });
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(8, 6, 8, 6);
    layout->addWidget(title_);
    layout->addWidget(plot_, 1);
    layout->addWidget(words_);
    connect(&sky, &SkyView::placeClicked, this, &GrowthBench::point);
    connect(&session_, &NightSession::bodyChanged, this, [this] {
        pointed_.reset();
        refresh();
    });
    connect(&session_, &NightSession::measurementsChanged, this, &GrowthBench::refresh);
    connect(&session_, &NightSession::nightChanged, this, [this] {
        measuring_.drop();
        catalogue_.forget();
        pointed_.reset();
        wanted_ = {};
        refresh();
    });
}

BenchInfo GrowthBench::info() const {
    return {"growth",
            tr("Growth of the light with the circle"),
            Stage::Measure,
            {200, 650, 430},
            Qt::Key_W};
}

void GrowthBench::setShown(bool shown) {
    isShown_ = shown;
    refresh();
}

QString GrowthBench::wordsOf(int index) const {
    const auto& circle = curve_.circles[static_cast<std::size_t>(index)];
    return tr("%1″: %2 ± %3 electrons; of a point %4 % is within; signal-to-noise %5")
        .arg(circle.radius * scaleArcsec_, 0, 'f', 1)
        .arg(circle.flux, 0, 'f', 0)
        .arg(circle.error, 0, 'f', 0)
        .arg(100.0 * circle.share, 0, 'f', 1)
        .arg(circle.expectedSnr, 0, 'f', 1);
}

void GrowthBench::clear(const QString& why) {
    wanted_ = {};
    plot_->setEmptyText(why);
    plot_->setSets({});
    words_->setText(tr("A click on the Sky measures there."));
}

void GrowthBench::point(const SkyPos& place) {
    if (isShown_ && session_.night() != nullptr) {
        pointed_ = place;
        refresh();
    }
}

void GrowthBench::refresh() {
    const night::LightRecord* light = session_.currentLight();
    if (!isShown_ || session_.night() == nullptr || light == nullptr) {
        return;
    }
    light_ = session_.currentFrame();
    if (pointed_) {
        title_->setText(
            tr("The place pointed at · %1 UTC")
                .arg(QString::fromStdString(toIso(light->middle, 0)).chopped(1).replace('T', ' ')));
    }
    if (!light->solved() || light->calibrated == light->raw) {
        clear(tr("This frame is not solved: nothing is known of its sky"));
        return;
    }
    if (pointed_) {
        night::MeasurementRecord place;
        place.frame = light->frame;
        place.sky = *pointed_;
        // No measurement of a night has such an id.
        place.id = fmt::format("here {} {} {}",
                               light->frame.text(),
                               pointed_->longitude.degrees(),
                               pointed_->latitude.degrees());
        want(place);
        return;
    }
    const QString body = QString::fromStdString(session_.currentBody().text());
    title_->setText(body.isEmpty() ? tr("No body in hand") : body);
    const auto measurements = session_.currentMeasurements();
    int at = placeOnFrame(measurements, light->frame);
    at = at >= 0 ? at : nearestStack(measurements, light->middle);
    if (at < 0 || !measurements[static_cast<std::size_t>(at)].seen) {
        clear(tr("Nothing was measured of it on this frame"));
        return;
    }
    const auto& m = measurements[static_cast<std::size_t>(at)];
    title_->setText(
        QString("%1 · %2 UTC")
            .arg(body, QString::fromStdString(toIso(m.time, 0)).chopped(1).replace('T', ' ')));
    want(m);
}

void GrowthBench::want(const night::MeasurementRecord& record) {
    if (record.id != wanted_.id) {
        wanted_ = record;
        measure();
    }
}

void GrowthBench::measure() {
    const NightSnapshot* night = session_.night();
    // One at a time: what is passed over while frames are stepped through is not measured.
    if (measuring_.isBusy()) {
        return;
    }
    plot_->setEmptyText(tr("Measuring …"));
    auto store = catalogue_.of(night->recipePath);
    measuring_.start(
        [m = wanted_,
         light = night->lights[static_cast<std::size_t>(light_)],
         isPointed = pointed_.has_value(),
         stars = store ? *store : nullptr]() -> Result<Found> {
            Found found{{m, std::nullopt, std::nullopt}, night::Growth{}};
            if (isPointed) {
                auto here = night::measureHere(light, m.sky, stars.get());
                if (!here) {
                    return fail(here.error());
                }
                found.here = std::move(*here);
            }
            found.growth = night::growthOf(found.here.record, light, stars.get());
            return found;
        },
        [this, id = wanted_.id](const Result<Found>& found) { take(id, found); });
}

void GrowthBench::take(const std::string& id, const Result<Found>& found) {
    if (wanted_.id != id) {
        if (!wanted_.id.empty()) {
            measure();
        }
        return;
    }
    if (!found || !found->growth) {
        clear(message(found ? found->growth.error() : found.error()));
        return;
    }
    const night::MeasurementRecord& m = found->here.record;
    curve_ = found->growth->curve;
    scaleArcsec_ = found->growth->scaleArcsec;
    plot_->setSets(m.seen ? growthSets(curve_, scaleArcsec_) : std::vector<PlotSet>{});
    plot_->setEmptyText(tr("Nothing stands here above 3 sigma"));
    plot_->setChosen(static_cast<int>(curve_.best));
    QStringList words;
    if (pointed_) {
        words << hereWords(found->here);
    }
    if (m.seen) {
        words << growthWords(curve_, m, scaleArcsec_);
    }
    words_->setText(words.join('\n'));
}

} // namespace pathmark::desk
