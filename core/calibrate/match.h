#pragma once

#include "core/calibrate/groups.h"

#include <optional>
#include <span>
#include <string>
#include <vector>

namespace pathmark::calibrate {

/// What a group does for a series of lights.
enum class Role {
    Dark,       ///< of the light's exposure, bias still in it
    Bias,       ///< of the light; used alone, or with ScaledDark
    ScaledDark, ///< of another exposure or temperature; scaled, bias needed
    Flat,
    FlatDark,       ///< taken from the flats before they are combined
    FlatBias,       ///< likewise, where there is no FlatDark
    FlatScaledDark, ///< with FlatBias, for flats of long exposure
};

const char* name(Role role);
std::optional<Role> roleNamed(std::string_view name);

/// One reason for or against a candidate: how much it costs to use it all the same.
struct CostTerm {
    std::string
        name; ///< camera, size, colour, binning, gain, offset, mode, exposure, temperature, filter,
              ///< date, rotation, shutter, level or count
    double cost = 0.0; ///< 1: as bad as a flat taken the night before
    bool hard = false; ///< it cannot be used
    std::string words; ///< e.g. "it was taken at -5.0 °C, not -10.0 °C"
};

/// A group that could be thought to serve, and what it costs.
struct MasterCandidate {
    Role role = Role::Dark;
    std::size_t group = 0;
    std::vector<CostTerm> terms; ///< only those that cost something

    [[nodiscard]] double cost() const;
    /// The hard term, or null where it can be used.
    [[nodiscard]] const CostTerm* objection() const;
    /// The costliestTerm term in words; empty where nothing costs anything.
    [[nodiscard]] std::string costliestTerm() const;
};

/// A group that was chosen.
struct MasterChoice {
    Role role = Role::Dark;
    std::size_t group = 0;
    std::string reason; ///< one sentence
    bool byHand = false;
};

/// Which groups feed a series of lights, as indices into the list of groups.
struct MasterMatch {
    std::vector<MasterChoice> choices;
    std::vector<MasterCandidate> passedOver;
    std::vector<std::string> warnings; ///< what the observer should know, with the remedy

    [[nodiscard]] const MasterChoice* choice(Role role) const;
    [[nodiscard]] std::optional<std::size_t> group(Role role) const;
};

/// What the observer said instead: this group for that role, or none.
struct Override {
    Role role = Role::Dark;
    SeriesId group; ///< FrameGroup::id; not known: nothing is to be used
    std::string path =
        {}; ///< instead: the best group of this size with a file whose path holds this

    friend bool operator==(const Override&, const Override&) = default;
};

/// Chooses the calibration for one series of lights: for each role the candidate that costs least.
///
/// Model    Hard: size, colour planes, binning; camera, gain, offset, read-out mode and colour pattern where both
///          say; of a dark the exposure (sameExposure) and 2 degrees; of a flat the filter where both say,
///          and saturation. Soft: what one side does not say, distance in time and temperature, rotation, few frames,
///          flats of under a second or of little light. Without a dark of the exposure: bias and a dark
///          scaled (the scale is fitted to the lights); without that, bias alone.
/// Shapes   `light` is one of the groups.
MasterMatch matchMasters(const FrameGroup& light,
                         std::span<const FrameGroup> groups,
                         std::span<const Override> overrides = {});

} // namespace pathmark::calibrate
