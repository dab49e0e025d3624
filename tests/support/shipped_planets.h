#pragma once

#include "core/orbit/motion/planets.h"

#include <gtest/gtest.h>

#include <filesystem>
#include <utility>

namespace pathmark::test_support {

/// The kernel that ships with the program.
inline orbit::Planets shippedPlanets() {
    auto opened = orbit::Planets::open(std::filesystem::path(PATHMARK_SOURCE_DIR) / "data" /
                                       "planets-1995-2055.bsp");
    EXPECT_TRUE(opened);
    return std::move(*opened);
}

} // namespace pathmark::test_support
