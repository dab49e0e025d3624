#pragma once

#include "core/night/needs/prepare_night.h"
#include "desk/jobs/job_lane.h"
#include "desk/session/night_snapshot.h"

#include <QObject>
#include <QString>

#include <memory>
#include <optional>
#include <vector>

namespace pathmark::desk {

/// What is known of the night that is open, for a run without a recipe of its own.
class KnownFacts : public QObject {
    Q_OBJECT

  public:
    explicit KnownFacts(JobRunner& jobs, QObject* parent = nullptr);

    /// Of another night, or of the same one after a run.
    void setNight(const std::shared_ptr<const NightSnapshot>& night);

    /// Whether a night is run with what is known here: it has no recipe that somebody wrote.
    [[nodiscard]] static bool countFor(const NightSnapshot& night);

    /// Null: no night is open, it has a recipe of its own, or the observer's profiles cannot be read (failed says why).
    [[nodiscard]] const night::NightFacts* facts() const { return facts_ ? &*facts_ : nullptr; }

    /// What a run is to be prepared with.
    [[nodiscard]] night::PrepareRequest request() const;

    /// Says what a fact is, and keeps it for the nights to come.
    Result<bool> tell(night::FactKind kind, const std::string& of, const std::string& text);

    /// Whether something was told that no run has taken in.
    [[nodiscard]] bool isChanged() const { return isChanged_; }

    /// A run takes in what is known now.
    void setTaken() { isChanged_ = false; }

    [[nodiscard]] bool fetches() const;
    void setFetches(bool fetches);

    /// Fetches now what is missing or old.
    void fetch();

    void stopFetching() { fetching_.stop(); }

    [[nodiscard]] bool isFetching() const { return fetching_.isBusy(); }

  signals:
    void changed();
    void fetchingChanged(bool fetching);
    void progressed(const QString& stage, int done, int total, double secondsLeft);
    void notified(const QString& message);
    void failed(const QString& message);

  private:
    void find();

    std::shared_ptr<const NightSnapshot> night_;
    std::optional<night::NightFacts> facts_;
    bool isChanged_ = false;
    JobLane fetching_;
};

} // namespace pathmark::desk
