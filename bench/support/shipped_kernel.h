#pragma once

#include "core/orbit/motion/planets.h"

#include <filesystem>

namespace pathmark::bench {

/// The kernel that ships with the program, opened once.
inline const orbit::Planets& planets() {
    static const auto opened = orbit::Planets::open(std::filesystem::path(PATHMARK_SOURCE_DIR) /
                                                    "data" / "planets-1995-2055.bsp");
    return *opened;
}

} // namespace pathmark::bench
