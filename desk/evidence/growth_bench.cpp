#include "desk/evidence/growth_bench.h"

#include "core/night/growth_of.h"
#include "core/night/hand_measurements.h"
#include "desk/evidence/fit_pictures.h"
#include "desk/evidence/place_on_frame.h"
#include "desk/evidence/two_sites.h"
#include "desk/session/message.h"
#include "desk/session/night_session.h"
#include "desk/shell/commands.h"
#include "desk/shell/words.h"
#include "desk/sky/sky_view.h"

#include <QHBoxLayout>
#include <QStringList>
#include <QVBoxLayout>

#include <fmt/format.h>

#include <cmath>

namespace pathmark::desk {
namespace {

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

GrowthBench::GrowthBench(NightSession& session, SkyView& sky, QWidget* parent)
    : QWidget(parent), session_(session), sky_(sky), measuring_(session.jobs(), 1),
      title_(new QLabel), fit_(new FitPictures), plot_(new Plot), words_(new QLabel),
      sites_(new TwoSites(session)), hand_(new QWidget), name_(new QLineEdit),
      keep_(new QPushButton), modelButton_(new QPushButton) {
    setObjectName("growth");
    title_->setObjectName("growthTitle");
    words_->setObjectName("growthWords");
    for (QLabel* label : {title_, words_}) {
        label->setTextFormat(Qt::PlainText);
        label->setWordWrap(true);
    }
    words_->setTextInteractionFlags(Qt::TextSelectableByMouse);
    plot_->setObjectName("growthPlot");
    plot_->setAccessibleName(tr("Light within circles about the measured place"));
    plot_->setLeastHeight(120);
    plot_->setAxes({tr("radius of the circle, ″")},
                   {{tr("light within it, %")}, {tr("signal-to-noise of it")}});
    plot_->setWords([this](int circle) { return wordsOf(circle); });
    name_->setObjectName("growthName");
    name_->setAccessibleName(tr("Name under which the light is kept"));
    name_->setPlaceholderText(tr("a name: designation, or your own"));
    name_->setFocusPolicy(Qt::ClickFocus);
    keep_->setObjectName("growthKeep");
    modelButton_->setObjectName("growthModel");
    auto* row = new QHBoxLayout(hand_);
    row->setContentsMargins(0, 0, 0, 0);
    row->addWidget(name_, 1);
    for (QPushButton* button : {keep_, modelButton_}) {
        button->setFocusPolicy(Qt::NoFocus);
        row->addWidget(button);
    }
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(8, 6, 8, 6);
    layout->addWidget(title_);
    layout->addWidget(fit_);
    layout->addWidget(plot_, 1);
    layout->addWidget(words_);
    layout->addWidget(sites_);
    layout->addWidget(hand_);
    hand_->hide();
    connect(plot_, &Plot::picked, this, &GrowthBench::showRing);
    connect(&sky_, &SkyView::placeClicked, this, &GrowthBench::point);
    connect(&session_, &NightSession::bodyChanged, this, [this] {
        pointed_.reset();
        model_.reset();
        name_->clear();
        refresh();
    });
    connect(&session_, &NightSession::measurementsChanged, this, &GrowthBench::refresh);
    connect(&session_, &NightSession::nightChanged, this, &GrowthBench::forgetNight);
    connect(&sky_, &SkyView::pictureShown, this, [this] {
        if (pointed_) {
            refresh(); // a frame, or a stack
        }
    });
}

void GrowthBench::forgetNight() {
    measuring_.drop();
    sites_->compare({}, {});
    pointed_.reset();
    here_.reset();
    held_.reset();
    wanted_ = {};
    refresh();
}

BenchInfo GrowthBench::info() const {
    return {"growth",
            tr("Growth of the light with the circle"),
            Stage::Measure,
            {200, 650, 430},
            Qt::Key_W};
}

void GrowthBench::addCommands(Commands& commands) {
    const QString section = tr("Measuring by hand");
    const auto isPointed = [this] { return isShown_ && pointed_.has_value(); };
    commands.add({"hand.predicted",
                  section,
                  tr("Measure where the body is predicted"),
                  {Qt::SHIFT | Qt::Key_W},
                  [this] { pointAtPredicted(); },
                  [this] { return isShown_; }});
    commands.add({"hand.keep",
                  section,
                  tr("Keep the light under its name"),
                  {Qt::Key_Return},
                  [this] { keep(); },
                  isPointed});
    commands.add({"hand.name",
                  section,
                  tr("Name the light"),
                  {Qt::SHIFT | Qt::Key_Return},
                  [this] { nameIt(); },
                  isPointed});
    commands.add({"hand.model",
                  section,
                  tr("A light, the very place, a trail, or a coma"),
                  {Qt::Key_E},
                  [this] { nextModel(); },
                  isPointed});
    commands.add({"hand.hold",
                  section,
                  tr("Distances from this place, or none"),
                  {Qt::Key_M},
                  [this] {
                      held_ = held_ || !here_ ? std::nullopt : std::optional(here_->record);
                      wanted_ = {};
                      refresh();
                  },
                  isPointed});
    commands.add({"hand.pair",
                  section,
                  tr("Other of two frames, or both"),
                  {Qt::Key_Y},
                  [this] { sites_->showNext(); },
                  [this, isPointed] { return isPointed() && sites_->isPair(); }});
    commands.bind(sites_->showButton(), "hand.pair", tr("Show both frames"));
    commands.bind(*keep_, "hand.keep", tr("Keep"));
    commands.bind(*modelButton_, "hand.model", tr("Taken for"));
}

void GrowthBench::setShown(bool shown) {
    isShown_ = shown;
    if (!shown) {
        showRing(-1);
    }
    refresh();
}

void GrowthBench::setFrame(int) {
    carry();
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

/// The circle in hand as a ring on the Sky; -1: none.
void GrowthBench::showRing(int circle) {
    if (circle < 0) {
        sky_.setRing({});
        return;
    }
    const double radius = curve_.circles[static_cast<std::size_t>(circle)].radius;
    sky_.setRing(SkyView::Ring{measuredAt_, radius * scaleArcsec_});
    plot_->setChosen(circle);
}

void GrowthBench::clear(const QString& why) {
    wanted_ = {};
    curve_ = {};
    fit_->setFit({});
    plot_->setEmptyText(why);
    plot_->setSets({});
    sites_->compare({}, {});
    showRing(-1);
    words_->setText(tr("A click on the Sky measures there."));
}

void GrowthBench::point(const SkyPos& place) {
    if (isShown_ && session_.night() != nullptr) {
        pointed_ = place;
        followsOrbit_ = false;
        refresh();
    }
}

/// The body in hand on the frame in hand, as predicted; null: it is not on it.
const night::PredictionRecord* GrowthBench::predicted() const {
    const NightSnapshot* night = session_.night();
    const night::LightRecord* light = session_.currentLight();
    return night == nullptr || light == nullptr
               ? nullptr
               : night->predictionOn(*light, session_.currentBody());
}

void GrowthBench::pointAtPredicted() {
    const night::PredictionRecord* place = predicted();
    if (place == nullptr) {
        emit session_.notified(tr("The body in hand is not predicted on this frame."));
        return;
    }
    pointed_ = place->sky;
    followsOrbit_ = true;
    name_->setText(QString::fromStdString(session_.currentBody().text()));
    refresh();
}

/// On another frame: where the body in hand is predicted then, or where the motion of what was kept under the name leads.
void GrowthBench::carry() {
    const night::LightRecord* light = session_.currentLight();
    if (!pointed_ || light == nullptr) {
        return;
    }
    if (followsOrbit_) {
        if (const night::PredictionRecord* place = predicted()) {
            pointed_ = place->sky;
        }
        return;
    }
    const auto name = night::BodyId::of(name_->text().trimmed().toStdString());
    std::vector<night::MeasurementRecord> kept;
    for (const std::size_t i : session_.night()->measuredOf(name)) {
        kept.push_back(session_.night()->measurements[i]);
    }
    if (const auto place = night::carriedTo(kept, light->middle)) {
        pointed_ = place;
    }
}

night::HandAim GrowthBench::aim() const {
    night::HandAim aim{*pointed_, model()};
    if (const night::PredictionRecord* place = followsOrbit_ ? predicted() : nullptr) {
        aim.rateArcsecPerMin = place->rateArcsecPerMin;
        aim.positionAngleDegrees = place->positionAngleDegrees;
    }
    if (session_.showsStack()) {
        aim.stack = session_.stackInHand().path;
    }
    return aim;
}

/// As chosen; else a coma where the body in hand is a comet that is followed.
night::HandModel GrowthBench::model() const {
    if (model_) {
        return *model_;
    }
    bool isComet = false;
    for (const auto& m : session_.currentMeasurements()) {
        isComet = isComet || m.coma.has_value();
    }
    return followsOrbit_ && isComet ? night::HandModel::Coma : night::HandModel::Light;
}

void GrowthBench::nextModel() {
    switch (model()) {
    case night::HandModel::Light: model_ = night::HandModel::Place; break;
    case night::HandModel::Place: model_ = night::HandModel::Trail; break;
    case night::HandModel::Trail: model_ = night::HandModel::Coma; break;
    case night::HandModel::Coma: model_ = night::HandModel::Light; break;
    }
    refresh();
}

void GrowthBench::refresh() {
    const night::LightRecord* light = session_.currentLight();
    if (!isShown_ || session_.night() == nullptr || light == nullptr) {
        return;
    }
    light_ = session_.currentFrame();
    hand_->setVisible(pointed_.has_value());
    if (!light->solved() || light->calibrated == light->raw) {
        title_->setText(timeWords(light->middle) + " UTC");
        clear(tr("This frame is not solved: nothing is known of its sky"));
        return;
    }
    if (pointed_) {
        showPointed(*light);
    } else {
        showMeasured(*light);
    }
}

void GrowthBench::showPointed(const night::LightRecord& light) {
    const std::string stack = aim().stack.string();
    title_->setText(stack.empty()
                        ? QString("%1 · %2 UTC").arg(modelWords(model()), timeWords(light.middle))
                        : tr("The light at the place pointed at, on the stack"));
    night::MeasurementRecord place;
    place.frame = light.frame;
    place.sky = *pointed_;
    // No measurement of a night has such an id.
    place.id = fmt::format("here {} {} {} {}",
                           light.frame.text(),
                           pointed_->longitude.degrees(),
                           pointed_->latitude.degrees(),
                           stack.empty() ? night::name(model()) : stack);
    want(place);
}

void GrowthBench::showMeasured(const night::LightRecord& light) {
    const QString body = QString::fromStdString(session_.currentBody().text());
    title_->setText(body.isEmpty() ? tr("No body in hand") : body);
    const auto measurements = session_.currentMeasurements();
    int at = placeOnFrame(measurements, light.frame);
    at = at >= 0 ? at : nearestStack(measurements, light.middle);
    if (at < 0 || !measurements[static_cast<std::size_t>(at)].seen) {
        clear(tr("Nothing was measured of it on this frame"));
        return;
    }
    const auto& m = measurements[static_cast<std::size_t>(at)];
    title_->setText(QString("%1 · %2 UTC").arg(body, timeWords(m.time)));
    want(m);
}

void GrowthBench::want(const night::MeasurementRecord& record) {
    if (record.id != wanted_.id) {
        wanted_ = record;
        here_.reset();
        keep_->setEnabled(false);
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
    auto store = session_.sources()->stars();
    measuring_.start(
        [m = wanted_,
         light = night->lights[static_cast<std::size_t>(light_)],
         pointed = pointed_ ? std::optional(aim()) : std::nullopt,
         recipePath = night->recipePath,
         stars = store ? *store : nullptr]() -> Result<Found> {
            Found found{{m, {}, {}, {}, {}}, night::Growth{}};
            if (pointed) {
                auto here = night::measureHere(light, *pointed, stars.get());
                if (!here) {
                    return fail(here.error());
                }
                found.here = std::move(*here);
            }
            const auto recipe = night::readRecipe(recipePath);
            found.growth = night::growthOf(found.here.record,
                                           light,
                                           stars.get(),
                                           recipe ? night::stationOf(*recipe) : night::Station());
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
    measuredAt_ = m.sky;
    plot_->setSets(m.seen ? growthSets(curve_, scaleArcsec_) : std::vector<PlotSet>{});
    plot_->setEmptyText(tr("Nothing stands here above 3 sigma"));
    fit_->setFit(found->here.fit);
    QStringList words;
    if (pointed_) {
        here_ = found->here;
        words << hereWords(found->here);
        if (held_) {
            words << separationWords(*held_, m);
        }
    }
    sites_->compare(pointed_ ? held_ : std::nullopt, m);
    keep_->setEnabled(here_ && m.seen && !m.onStack); // a run measures again what was on a frame
    if (m.seen) {
        words << growthWords(curve_, m, scaleArcsec_);
    }
    words_->setText(words.join('\n'));
    showRing(m.seen ? static_cast<int>(curve_.best) : -1);
}

void GrowthBench::nameIt() {
    name_->setFocus();
    name_->selectAll();
}

void GrowthBench::keep() {
    if (here_ && here_->record.onStack) {
        emit session_.notified(tr("What is kept by hand is measured on a frame (S). A body that "
                                  "only a stack shows is taken into the run: in Stack, A."));
        return;
    }
    const std::string name = name_->text().trimmed().toStdString();
    if (name.empty()) {
        nameIt();
        return;
    }
    name_->clearFocus();
    if (!here_ || !here_->record.seen) {
        emit session_.notified(tr("Nothing was measured here that could be kept."));
        return;
    }
    const bool isBody = night::BodyId::of(name) == session_.currentBody();
    const auto recipe = night::readRecipe(session_.night()->recipePath);
    auto kept = night::keptUnder(name,
                                 *here_,
                                 aim(),
                                 isBody ? predicted() : nullptr,
                                 recipe ? recipe->measure.review : night::ReviewRules());
    const QString words = tr("%1 measured by hand").arg(QString::fromStdString(name));
    session_.decide({words.toStdString(), {std::move(kept)}});
    emit session_.notified(words + ".");
}

} // namespace pathmark::desk
