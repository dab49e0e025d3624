#include "core/base/large_pages.h"

#include "core/base/spare_memory.h"

#include <gtest/gtest.h>
#include <unistd.h>

#include <algorithm>
#include <cstdint>
#include <fstream>
#include <thread>
#include <vector>

namespace pathmark {
namespace {

using Pixels = std::vector<float, LargePages<float>>;

/// What was given back holds old values; who gets it next must not see them.
TEST(LargePagesTest, UsedMemoryIsAsGoodAsNew) {
    constexpr std::size_t count = std::size_t{3} << 20U;
    for (int round = 0; round < 4; ++round) {
        Pixels pixels(count);
        ASSERT_TRUE(std::all_of(pixels.begin(), pixels.end(), [](float v) { return v == 0.0F; }));
        std::fill(pixels.begin(), pixels.end(), 7.0F);
    }
}

TEST(LargePagesTest, SizesOfAllKindsFromSeveralThreadsStayApart) {
    const auto work = [](float mark) {
        for (std::size_t count :
             {std::size_t{100}, std::size_t{1} << 20U, (std::size_t{5} << 20U) + 17}) {
            Pixels first(count, mark);
            Pixels second(count, -mark);
            ASSERT_TRUE(
                std::all_of(first.begin(), first.end(), [&](float v) { return v == mark; }));
            second = first;
            ASSERT_EQ(second.back(), mark);
        }
    };
    std::vector<std::jthread> threads;
    for (int t = 1; t <= 4; ++t) {
        threads.emplace_back([&, t] {
            for (int round = 0; round < 5; ++round) {
                work(static_cast<float>(t));
            }
        });
    }
}

#if !defined(PATHMARK_WATCHED_MEMORY)
/// Truth: what the system says that the program has.
std::size_t residentBytes() {
    std::ifstream file("/proc/self/statm");
    std::size_t whole = 0;
    std::size_t resident = 0;
    file >> whole >> resident;
    return resident * static_cast<std::size_t>(::sysconf(_SC_PAGESIZE));
}

TEST(LargePagesTest, WhatIsSpareGoesBackToTheSystem) {
    constexpr std::size_t bytes = std::size_t{160} << 20U;
    releaseSpareMemory();
    const std::size_t before = residentBytes();
    { Pixels pixels(bytes / sizeof(float), 1.0F); }
    EXPECT_GT(residentBytes(), before + bytes / 2) << "kept for who asks next";
    releaseSpareMemory();
    EXPECT_LT(residentBytes(), before + bytes / 10);
}
#endif

#if !defined(PATHMARK_WATCHED_MEMORY) // the sanitizer ends the program there
TEST(LargePagesTest, WhatNoMachineHasIsRefused) {
    EXPECT_THROW(Pixels(std::size_t{1} << 58U), std::bad_alloc);
}
#endif

} // namespace
} // namespace pathmark
