#include "core/night/unlike_others.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <random>
#include <string>

namespace pathmark::night {
namespace {

/// Places of a body whose orbit is off by a drift, with errors of 0.05 arcsec that hold.
std::vector<MeasurementRecord> drifting(int count, std::uint32_t seed) {
    std::mt19937 random(seed);
    std::normal_distribution<double> noise(0.0, 0.05);
    std::vector<MeasurementRecord> all;
    for (int i = 0; i < count; ++i) {
        MeasurementRecord m;
        m.body = BodyId::of("2033 AA1");
        m.frame = FrameId("f" + std::to_string(i));
        m.time = Utc::julian(2464000.0).plusSeconds(70.0 * i);
        m.seen = true;
        m.raErrorArcsec = m.decErrorArcsec = 0.05;
        m.observedMinusComputedRa = 1.3 + 0.04 * i + noise(random);
        m.observedMinusComputedDec = -0.6 - 0.01 * i + noise(random);
        all.push_back(m);
    }
    return all;
}

auto parked(const std::vector<MeasurementRecord>& all) {
    return std::count_if(all.begin(), all.end(), [](const MeasurementRecord& m) {
        return m.state == MeasurementState::Parked;
    });
}

TEST(UnlikeOthersTest, OneThatASatelliteHasMovedIsParked) {
    for (const int count : {5, 6, 40, 400}) {
        auto all = drifting(count, 3);
        all[1].observedMinusComputedRa += 0.29;
        all[1].observedMinusComputedDec += 0.32;
        parkUnlikeOthers(all);
        EXPECT_EQ(parked(all), 1) << count;
        EXPECT_EQ(all[1].state, MeasurementState::Parked) << count;
        EXPECT_NE(all[1].reason.find("arcsec"), std::string::npos);
    }
}

/// Six places of three visits: with a slope left open the last of them would tell nothing.
TEST(UnlikeOthersTest, AGoodOrbitDoesNotDrift) {
    auto all = drifting(6, 3);
    for (std::size_t i = 0; i < all.size(); ++i) {
        const std::size_t visit = i / 2;
        all[i].time = Utc::julian(2464000.0).plusSeconds(1490.0 * static_cast<double>(visit) +
                                                         12.0 * static_cast<double>(i % 2));
        all[i].observedMinusComputedRa -= 1.3 + 0.04 * static_cast<double>(i);
        all[i].observedMinusComputedDec += 0.6 + 0.01 * static_cast<double>(i);
    }
    all[5].observedMinusComputedRa += 0.29;
    all[5].observedMinusComputedDec += 0.32;
    parkUnlikeOthers(all);
    EXPECT_EQ(parked(all), 1);
    EXPECT_EQ(all[5].state, MeasurementState::Parked);
}

/// Truth: noise as stated, drifts of any kind of orbit: nothing is to be parked.
TEST(UnlikeOthersTest, NoiseAndDriftsAreKept) {
    for (std::uint32_t seed = 0; seed < 300; ++seed) {
        auto all = drifting(5 + static_cast<int>(seed % 9), seed);
        parkUnlikeOthers(all);
        EXPECT_EQ(parked(all), 0) << seed;
    }
}

TEST(UnlikeOthersTest, ErrorsThatAreTooSmallForAllParkNone) {
    auto all = drifting(12, 5);
    for (auto& m : all) {
        m.raErrorArcsec = m.decErrorArcsec = 0.005;
    }
    parkUnlikeOthers(all);
    EXPECT_EQ(parked(all), 0);
}

TEST(UnlikeOthersTest, FourTellNothing) {
    auto all = drifting(4, 5);
    all[1].observedMinusComputedRa += 2.0;
    parkUnlikeOthers(all);
    EXPECT_EQ(parked(all), 0);
}

/// What is parked already tells nothing of the others.
TEST(UnlikeOthersTest, WhatIsParkedHasNoSay) {
    auto all = drifting(9, 6);
    for (std::size_t i = 0; i < 4; ++i) {
        all[i].observedMinusComputedRa += 5.0;
        all[i].state = MeasurementState::Parked;
    }
    parkUnlikeOthers(all);
    EXPECT_EQ(parked(all), 4);
}

} // namespace
} // namespace pathmark::night
