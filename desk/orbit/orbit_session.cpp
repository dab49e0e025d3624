#include "desk/orbit/orbit_session.h"

#include "desk/session/message.h"

namespace pathmark::desk {
namespace {

/// What a fit needs of the night, copied so that the worker looks at nothing that changes.
struct Request {
    std::vector<night::MeasurementRecord> measurements; ///< of the body
    orbit::BodyId body;
    std::set<std::string> off; ///< observations that are taken out
    std::optional<Utc> time;
    std::optional<orbit::Elements>
        start; ///< of the fit before: a switched observation moves it but little
};

Result<night::BodyOrbit>
judge(const night::OrbitSources& sources, const Request& request, const std::stop_token& stop) {
    auto what = night::orbitCaseOf(sources, request.measurements, request.off, request.body);
    if (request.start) {
        what.given.known = request.start;
    }
    return night::judgeBody(sources, std::move(what), request.time, stop);
}

} // namespace

OrbitSession::OrbitSession(NightSession& session, QObject* parent)
    : QObject(parent), session_(session), fitting_(session.jobs(), 1) {
    connect(&session_, &NightSession::nightChanged, this, [this] {
        forget();
        fit();
    });
    connect(&session_, &NightSession::bodyChanged, this, [this] {
        orbit_.reset();
        fit();
    });
    connect(&session_, &NightSession::measurementsChanged, this, &OrbitSession::fit);
    connect(&session_, &NightSession::observationsSwitched, this, &OrbitSession::fit);
}

void OrbitSession::forget() {
    problems_.clear();
    orbit_.reset();
}

void OrbitSession::setWanted(bool wanted) {
    if (wanted_ != wanted) {
        wanted_ = wanted;
        fit();
    }
}

void OrbitSession::toggle(int observation) {
    if (orbit_ == nullptr || observation < 0 ||
        static_cast<std::size_t>(observation) >= orbit_->what.ids.size()) {
        return;
    }
    const auto at = static_cast<std::size_t>(observation);
    session_.switchObservation(orbit_->what.ids[at], !orbit_->what.given.switchedOff[at]);
}

void OrbitSession::fit() {
    fitting_.drop(); // what was asked before is worthless now, begun or not
    const NightSnapshot* night = session_.night();
    if (!wanted_) {
        return;
    }
    if (night == nullptr || night->recipePath.empty() || !session_.currentBody().isKnown()) {
        orbit_.reset();
        state_ =
            tr("Once the night has run (Ctrl+R), the orbit of the body in hand is fitted here, "
               "with tonight's places and without them.");
        emit changed();
        return;
    }
    Request request;
    request.off = night->decided->observationsOff;
    const Measurements own = session_.currentMeasurements();
    request.measurements = {own.begin(), own.end()};
    request.body = session_.currentBody();
    if (!night->lights.empty()) {
        request.time = night->lights[night->lights.size() / 2].middle;
    }
    if (orbit_ && orbit_->judgement.fit) {
        request.start = orbit_->judgement.fit->elements;
    }
    if (!orbit_) {
        state_ = tr("Fitting the orbit …");
        emit changed();
    }
    fitting_.start(
        [request, kept = session_.sources()](const Job& job) -> Fitted {
            const auto sources = kept->orbits({});
            if (!sources) {
                return {{}, fail(sources.error())};
            }
            return {(*sources)->problems, judge(**sources, request, job.stop)};
        },
        [this](Fitted fitted) { take(std::move(fitted)); });
}

void OrbitSession::take(Fitted fitted) {
    problems_ = std::move(fitted.problems);
    Result<night::BodyOrbit>& orbit = fitted.orbit;
    if (orbit) {
        orbit_ = std::make_shared<const night::BodyOrbit>(std::move(*orbit));
        state_.clear();
    } else {
        orbit_.reset();
        state_ = message(orbit.error());
        if (orbit.error().id == ErrorId::OrbitTooFewObservations) {
            state_ += tr("\n\nObservations of other nights (MPC 80-column or ADES files) are named "
                         "in the recipe: [orbits] observations.");
        }
    }
    emit changed();
}

} // namespace pathmark::desk
