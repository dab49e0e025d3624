#pragma once

#include "core/night/records.h"
#include "desk/jobs/job_lane.h"

#include <QElapsedTimer>
#include <QObject>

#include <filesystem>
#include <map>
#include <memory>
#include <vector>

namespace pathmark::desk {

struct NightSnapshot;

/// A light that was looked at.
struct LookedAt {
    std::filesystem::path raw;
    night::SourcesPart seen;
};

/// Looks at the lights that no run has searched yet, one after another on a worker, and tells what their quality is, some at a time.
class FirstLooks : public QObject {
    Q_OBJECT

  public:
    explicit FirstLooks(JobRunner& runner, QObject* parent = nullptr);

    /// Begins with the lights of a night that was read, or read again: what was seen of them already is told at once.
    void start(const NightSnapshot& night);

    /// Stops; what was seen is kept.
    void stop();

    /// Stops, and forgets: another night comes.
    void forget();

  signals:
    void looked(const std::vector<pathmark::desk::LookedAt>& lights);

  private:
    void take(LookedAt light);

    JobLane lane_;
    std::map<std::filesystem::path, night::SourcesPart> seen_;
    std::vector<LookedAt> found_; ///< not yet told
    QElapsedTimer sinceTold_;
    int left_ = 0; ///< still to be looked at
};

} // namespace pathmark::desk
