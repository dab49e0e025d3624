#include "desk/session/known_facts.h"

#include "desk/session/message.h"
#include "desk/shell/kept_state.h"

#include <utility>

namespace pathmark::desk {

KnownFacts::KnownFacts(JobRunner& jobs, QObject* parent) : QObject(parent), fetching_(jobs, 1) {
    connect(&fetching_, &JobLane::progressed, this, &KnownFacts::progressed);
    connect(&fetching_, &JobLane::messageSent, this, &KnownFacts::notified);
}

bool KnownFacts::countFor(const NightSnapshot& night) {
    return !night.isArchive &&
           (night.recipePath.empty() || night.recipePath == night.out / "recipe.toml");
}

void KnownFacts::setNight(const std::shared_ptr<const NightSnapshot>& night) {
    const bool isSame = night_ && night && night_->folder == night->folder && facts_.has_value();
    night_ = night;
    if (!isSame) {
        find();
        return;
    }
    // What was told of it stays; a run may have fetched more.
    facts_->readFetched();
    emit changed();
}

void KnownFacts::find() {
    facts_.reset();
    isChanged_ = false;
    if (night_ && countFor(*night_)) {
        auto found = night::NightFacts::find(*night_->frames,
                                             night::toldBefore(night_->out / "recipe.toml"));
        if (found) {
            facts_ = std::move(*found);
        } else {
            emit failed(message(found.error()));
        }
    }
    emit changed();
}

night::PrepareRequest KnownFacts::request() const {
    night::PrepareRequest request;
    request.out = night_ ? night_->out : std::filesystem::path();
    request.fetches = fetches();
    return request;
}

Result<bool>
KnownFacts::tell(night::FactKind kind, const std::string& of, const std::string& text) {
    if (!facts_) {
        return false;
    }
    if (auto told = facts_->tell(kind, of, text); !told) {
        return told;
    }
    isChanged_ = true;
    auto kept = facts_->keep();
    emit changed();
    return kept;
}

bool KnownFacts::fetches() const {
    return kept::fetches();
}

void KnownFacts::setFetches(bool fetches) {
    kept::setFetches(fetches);
    emit changed();
}

void KnownFacts::fetch() {
    if (!facts_ || isFetching()) {
        return;
    }
    fetching_.start([facts = *facts_, patience = request().patience](
                        const Job& job) { return night::fetchNeeds(facts, patience, job); },
                    [this](const std::vector<Error>& problems) {
                        emit fetchingChanged(false);
                        if (facts_) {
                            facts_->readFetched();
                        }
                        emit changed();
                        if (problems.empty()) {
                            emit notified(tr("Everything that this night needs is here."));
                        } else {
                            emit failed(message(problems.front()));
                        }
                    });
    emit fetchingChanged(true);
}

} // namespace pathmark::desk
