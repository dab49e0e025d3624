#pragma once

#include "core/night/needs/prepare_night.h"
#include "core/night/run_night.h"
#include "core/night/watch/filling_folder.h"
#include "core/night/watch/watch_news.h"

#include <functional>
#include <optional>
#include <vector>

namespace pathmark::night {

/// How a folder is watched.
struct WatchOptions {
    RunOptions run; ///< its recipe may be empty: then it is made of `preparing`
    std::vector<std::filesystem::path> places; ///< folders that fill
    PrepareRequest preparing;
    double settleSeconds = 2.0;
    double untilIdleSeconds = 0.0;                  ///< 0: until it is stopped
    std::function<void(const WatchEvent&)> onEvent; ///< from the watch's thread
    std::function<void()>
        onMarked; ///< the night file knows where the new lights look, and what is in them
    std::function<void()> onDeepened; ///< stacks and measurements are up to date with every light
};

/// How a watch ended.
struct WatchSummary {
    std::optional<RunSummary> run; ///< of the last round that went to its end
    std::vector<Error> failures;
};

/// Works on frames as they land: calibrates, solves and matches each, and then, until the next one lands, deepens stacks and
/// measurements. The night that it leaves is that of a run over the same frames.
///
/// Model    A round is a run over the frames that are whole, which finds what earlier rounds made. When another frame is whole and the
///          lights of the round are marked, the rest of the round is left for the next.
/// Errors   night.in_use  another run or watch works on the results; night.bad_recipe; what ends a watch at its first round. Later rounds'
///          failures are told as events.
Result<WatchSummary> watchNight(const WatchOptions& options, const Job& job);

} // namespace pathmark::night
