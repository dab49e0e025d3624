#pragma once

#include "tests/support/small_night.h"

namespace pathmark::test_support {

/// In no list, and too faint for any of the frames.
inline constexpr const char* kSweptBody = "unknown";

/// Fourteen small frames of one series with a body of S/N 2 or so in each that no list knows, one in reach of a stack that lists know, and a
/// bright one.
inline simulate::Scenario sweptScenario() {
    simulate::Scenario s = smallScenario();
    s.extraOrbits = 5;
    s.series.resize(1);
    s.series.front().count = 14;
    // On nearly the orbit of the bright one, as the faint known body is, on its other side.
    auto& unknown = s.bodies.back();
    unknown = s.bodies.front();
    unknown.name = kSweptBody;
    unknown.packed.clear();
    unknown.known = false;
    unknown.meanAnomalyDegrees -= 0.015;
    unknown.h = 18.3;
    return s;
}

inline void makeSweptNight(const std::filesystem::path& folder) {
    copyNight<sweptScenario>(folder);
}

} // namespace pathmark::test_support
