#pragma once

#include "command/body_choice.h"
#include "core/night/stack_lights.h"
#include "core/stack/marked_path.h"

#include <functional>
#include <optional>
#include <string>
#include <vector>

namespace pathmark::command {

/// On what frames are added: one of four.
struct MotionArguments {
    bool stars = false;
    BodyArguments body;
    std::optional<double> rateArcsecPerMin;
    std::optional<double> angleDegrees;
    std::vector<double> nearRaDec;
    std::string marks;
};

void addMotionOptions(CLI::App& verb, MotionArguments& arguments);

/// What cannot be meant; empty where all is well.
std::string objectionTo(const MotionArguments& arguments);

/// Where a target is, at any time of a series.
struct Motion {
    std::string object; ///< "stars", or what moves
    bool moves = false;
    bool isComet = false; ///< its coma is no sky
    std::function<Result<SkyPos>(const Utc&)> at;
    std::vector<stack::PathPoint> points; ///< by light, where its light was looked for
};

/// The motion over these lights, which are in the order of time. `centre`: where the target is at the middle of the series where
/// nothing else says so.
///
/// Errors   orbit.*, stack.bad_marks, and those of the readers
Result<Motion> motionOf(const MotionArguments& arguments,
                        std::span<const night::StackLight> lights,
                        const SkyPos& centre,
                        const Job& job);

} // namespace pathmark::command
