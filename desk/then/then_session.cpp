#include "desk/then/then_session.h"

#include "core/night/services.h"
#include "core/night/then_difference.h"
#include "desk/session/message.h"
#include "desk/session/night_session.h"

namespace pathmark::desk {
namespace {

struct Laid {
    std::shared_ptr<const night::ThenPicture> then;
    std::shared_ptr<const Picture> picture;
};

/// The night's catalogue, where it has one that can be read.
const catalog::StarStore* starsOf(night::KeptSources& sources,
                                  std::shared_ptr<const catalog::StarStore>& held) {
    if (auto stars = sources.stars()) {
        held = std::move(*stars);
    }
    return held.get();
}

} // namespace

ThenSession::ThenSession(NightSession& session, QObject* parent)
    : QObject(parent), session_(session), laying_(session.jobs(), 1), comparing_(session.jobs(), 1),
      takingOff_(session.jobs(), 1) {
    connect(&laying_, &JobLane::progressed, this, &ThenSession::progressed);
}

QString ThenSession::surveyAddress() {
    const auto addresses = night::serviceAddresses();
    if (!addresses) {
        return {};
    }
    const auto found = addresses->find(night::kSurveyService);
    return found == addresses->end() ? QString() : QString::fromStdString(found->second);
}

void ThenSession::forget() {
    laying_.drop();
    comparing_.drop();
    takingOff_.drop();
    then_.reset();
    picture_.reset();
    difference_.reset();
    lights_.clear();
}

void ThenSession::lay(const night::ThenSource& source) {
    const night::LightRecord* light = session_.currentLight();
    forget();
    if (light == nullptr || !light->solved()) {
        emit failed(tr("Choose a frame that is solved: an older picture is laid on its stars."));
        return;
    }
    light_ = *light;
    laying_.start(
        [source,
         light = light_,
         grid = session_.gridOf(session_.currentFrame()),
         stretch = session_.stretch(),
         sources = session_.sources()](const Job& job) -> Result<Laid> {
            std::shared_ptr<const catalog::StarStore> held;
            const auto* stars = source.survey.empty() ? starsOf(*sources, held) : nullptr;
            auto then = night::thenPicture(light, source, stars, job);
            if (!then) {
                return fail(then.error());
            }
            auto shared = std::make_shared<const night::ThenPicture>(std::move(*then));
            return Laid{shared, thenShown(*shared, light, grid, stretch)};
        },
        [this](const Result<Laid>& made) {
            if (!made) {
                emit failed(message(made.error()));
                return;
            }
            then_ = made->then;
            picture_ = made->picture;
            emit laid();
            compare();
        });
}

void ThenSession::compare() {
    comparing_.start(
        [then = then_,
         light = light_,
         file = session_.night()->nightFile,
         sources = session_.sources()]() -> Result<std::vector<night::DifferingLight>> {
            std::shared_ptr<const catalog::StarStore> held;
            const auto night = night::NightFile::open(file);
            return night ? night::compareThen(*night, light, *then, starsOf(*sources, held))
                         : fail(night.error());
        },
        [this](const Result<std::vector<night::DifferingLight>>& lights) {
            if (!lights) {
                emit failed(message(lights.error()));
                return;
            }
            lights_ = *lights;
            emit compared();
        });
}

void ThenSession::takeOff() {
    if (!then_ || takingOff_.isBusy()) {
        return;
    }
    takingOff_.start(
        [then = then_,
         light = light_,
         file = session_.night()->nightFile,
         grid = session_.gridOf(session_.currentFrame()),
         stretch = session_.stretch()]() -> Result<std::shared_ptr<const Picture>> {
            const auto night = night::NightFile::open(file);
            auto rest = night ? night::thenDifference(*night, light, *then) : fail(night.error());
            if (!rest) {
                return fail(rest.error());
            }
            night::ThenPicture shown;
            shown.values = std::move(rest->values);
            shown.title = tr("now less %1").arg(QString::fromStdString(then->title)).toStdString();
            // The sky is nought: what is missing is to be seen as well as what is new.
            const auto sigma = static_cast<float>(rest->noise);
            const night::DisplayRange range{-5.0F * sigma, 20.0F * sigma, true};
            return thenShown(shown, light, grid, stretch, range);
        },
        [this](const Result<std::shared_ptr<const Picture>>& made) {
            if (!made) {
                emit failed(message(made.error()));
                return;
            }
            difference_ = *made;
            emit takenOff();
        });
}

void ThenSession::setCircle(const std::optional<night::SkyCircle>& circle) {
    circle_ = circle;
    if (then_ && !comparing_.isBusy()) {
        emit compared();
    }
}

std::vector<night::DifferingLight> ThenSession::lights() const {
    return circle_ ? night::lightsWithin(lights_, *circle_) : lights_;
}

} // namespace pathmark::desk
