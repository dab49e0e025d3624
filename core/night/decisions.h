#pragma once

#include "core/calibrate/match.h"
#include "core/frame/frame_info.h"
#include "core/night/night_file.h"

#include <filesystem>
#include <map>
#include <optional>
#include <set>
#include <string>
#include <vector>

namespace pathmark::night {

/// What the observer said about the match of masters, by the id of the series of lights.
using MatchDecisions = std::map<std::string, std::vector<calibrate::Override>>;

MatchDecisions matchDecisions(const NightFile& file);

/// Replaces what was said about one role of one series; nullopt takes it back.
///
/// Errors   night.cannot_store
Result<bool> decideMatch(NightFile& file,
                         const std::string& seriesId,
                         calibrate::Role role,
                         const std::optional<calibrate::Override>& said);

/// Kinds of frames that the observer overruled: a part of the path and the kind.
using KindDecisions = std::vector<std::pair<std::string, frame::FrameKind>>;

KindDecisions kindDecisions(const NightFile& file);

/// Errors   night.cannot_store
Result<bool> decideKinds(NightFile& file, const KindDecisions& kinds);

/// A solution that the observer laid over a frame by hand.
struct HandSolution {
    std::filesystem::path frame; ///< raw path
    frame::Wcs wcs;
    std::vector<std::filesystem::path> offeredTo; ///< frames of its series that may try it, moved

    [[nodiscard]] bool isOfferedTo(const std::filesystem::path& other) const;
};

std::vector<HandSolution> handSolutions(const NightFile& file);

/// Replaces what was laid over one frame; nullopt takes it back.
///
/// Errors   night.cannot_store
Result<bool> decideHandSolution(NightFile& file,
                                const std::filesystem::path& frame,
                                const std::optional<HandSolution>& solution);

/// Observations that the observer took out of the fit of an orbit, by their names (see BodyOrbitCase).
std::set<std::string> switchedOffObservations(const NightFile& file);

/// Errors   night.cannot_store
Result<bool> switchObservation(NightFile& file, const std::string& id, bool off);

} // namespace pathmark::night
