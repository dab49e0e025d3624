#include "core/night/watch/night_watch.h"

#include "core/base/spare_memory.h"
#include "core/frame/folder_scan.h"

#include <algorithm>
#include <atomic>
#include <map>
#include <thread>

namespace pathmark::night {
namespace {

namespace fs = std::filesystem;
using Clock = std::chrono::steady_clock;

constexpr std::chrono::milliseconds kLookEvery{400};

/// One watch, round by round.
class NightWatch {
  public:
    NightWatch(const WatchOptions& options, const Job& job)
        : options_(options), job_(job), folder_(options.places, options.settleSeconds),
          news_([this](const WatchEvent& event) { tell(event); }) {}

    Result<WatchSummary> run();

  private:
    void tell(const WatchEvent& event) const {
        if (options_.onEvent) {
            options_.onEvent(event);
        }
    }

    void look();
    void round(const std::vector<fs::path>& frames);
    Result<fs::path> recipeFor(const std::vector<fs::path>& frames);
    Result<RunSummary> runInterruptibly(const RunOptions& options);
    void tellProblem(const Error& error);

    [[nodiscard]] bool isIdle() const {
        return options_.untilIdleSeconds > 0.0 && isDeep_ &&
               std::chrono::duration<double>(Clock::now() - lastNew_).count() >
                   options_.untilIdleSeconds;
    }

    const WatchOptions& options_;
    const Job& job_;
    FillingFolder folder_;
    WatchNews news_;
    Clock::time_point lastNew_ = Clock::now();
    std::vector<fs::path> whole_; ///< frames, as the folder has them now
    std::vector<fs::path> done_;  ///< those of the last round
    bool isDeep_ = true;          ///< the last round went to its end
    bool isThere_ = true;
    std::map<fs::path, frame::FrameInfo> infos_; ///< of a watch without a recipe
    std::size_t fields_ = 0;                     ///< that a recipe was made for
    fs::path recipe_;
    WatchSummary summary_;
    std::optional<Error> problem_; ///< of the last round
};

void NightWatch::look() {
    const bool isThere = folder_.isThere();
    if (isThere != isThere_) {
        isThere_ = isThere;
        WatchEvent event;
        event.kind = WatchEvent::Kind::Folder;
        event.file = options_.places.front();
        event.isGood = isThere;
        event.words = event.file.string() +
                      (isThere ? " is there again" : " is gone; the watch waits until it is back");
        tell(event);
    }
    if (isThere) {
        whole_ = folder_.whole();
    }
}

void NightWatch::tellProblem(const Error& error) {
    problem_ = error;
    WatchEvent event;
    event.kind = WatchEvent::Kind::Problem;
    event.isGood = false;
    event.words = toMessage(error);
    tell(event);
}

/// The recipe that was named, or one made of what is known; made anew when a field or a camera comes that it does not know.
Result<fs::path> NightWatch::recipeFor(const std::vector<fs::path>& frames) {
    if (!options_.run.recipe.empty()) {
        return options_.run.recipe;
    }
    const auto rules = frame::observersRules();
    if (!rules) {
        return fail(rules.error());
    }
    std::vector<frame::FrameInfo> infos;
    for (const fs::path& path : frames) {
        auto known = infos_.find(path);
        if (known == infos_.end()) {
            auto info = frame::describeFile(path, *rules);
            if (!info) {
                continue; // the round says so
            }
            known = infos_.emplace(path, std::move(*info)).first;
        }
        infos.push_back(known->second);
    }
    const auto facts = factsFor(infos, options_.preparing);
    if (!facts) {
        return fail(facts.error());
    }
    if (const std::size_t fields = facts->lightKinds(); recipe_.empty() || fields != fields_) {
        const auto prepared = prepareNight(*facts, options_.preparing, job_);
        if (!prepared) {
            return fail(prepared.error());
        }
        for (const Error& problem : prepared->problems) {
            tellProblem(problem);
        }
        recipe_ = prepared->recipe;
        fields_ = fields;
    }
    return recipe_;
}

/// A run that is left when its lights are marked and another frame is whole.
Result<RunSummary> NightWatch::runInterruptibly(const RunOptions& options) {
    std::stop_source leave;
    const std::stop_callback stopped(job_.stop, [&] { leave.request_stop(); });
    Job job = job_;
    job.stop = leave.get_token();
    std::atomic<bool> isMarked = false;
    RunOptions running = options;
    running.onMarked = [&] {
        if (auto told = news_.tellMarks(options.nightFile); !told) {
            job.message(toMessage(told.error()));
        }
        if (options_.onMarked) {
            options_.onMarked();
        }
        isMarked = true;
    };
    // The folder is looked at by one thread at a time: this one runs the night meanwhile.
    std::jthread looking([&](const std::stop_token& ended) {
        while (!ended.stop_requested() && !leave.stop_requested()) {
            folder_.wait(kLookEvery / 2);
            if (!isMarked) {
                continue;
            }
            look();
            if (whole_ != done_) {
                leave.request_stop();
            }
        }
    });
    return runNight(running, job);
}

void NightWatch::round(const std::vector<fs::path>& frames) {
    problem_.reset();
    const auto recipe = recipeFor(frames);
    if (!recipe) {
        tellProblem(recipe.error());
        return;
    }
    RunOptions options = options_.run;
    options.recipe = *recipe;
    options.only = frames;
    if (options.nightFile.empty()) {
        options.nightFile = options.out / "night.pmnight";
    }
    auto summary = runInterruptibly(options);
    isDeep_ = summary.has_value();
    if (!summary) {
        const bool isLeft =
            summary.error().id == ErrorId::BaseCancelled && !job_.stop.stop_requested();
        if (!isLeft) {
            // The first frames alone may make no night yet: no light, no pointing.
            isDeep_ = true;
            tellProblem(summary.error());
        }
        return;
    }
    if (auto told = news_.tellAll(summary->nightFile); !told) {
        tellProblem(told.error());
    }
    summary_.run = std::move(*summary);
    if (options_.onDeepened) {
        options_.onDeepened();
    }
}

Result<WatchSummary> NightWatch::run() {
    look();
    while (!job_.stop.stop_requested() && !isIdle()) {
        if (whole_ != done_ || !isDeep_) {
            done_ = whole_;
            round(done_);
            // A watch goes on for a night: what a round held is given back, not kept for the next.
            releaseSpareMemory();
            lastNew_ = Clock::now();
            if (problem_ &&
                (problem_->id == ErrorId::NightInUse || problem_->id == ErrorId::NightBadRecipe)) {
                return fail(*problem_);
            }
        } else {
            folder_.wait(kLookEvery);
        }
        look();
    }
    if (summary_.run) {
        summary_.failures = summary_.run->failures;
    }
    if (problem_ && problem_->id != ErrorId::BaseCancelled) {
        summary_.failures.push_back(*problem_);
    }
    return summary_;
}

} // namespace

Result<WatchSummary> watchNight(const WatchOptions& options, const Job& job) {
    return NightWatch(options, job).run();
}

} // namespace pathmark::night
