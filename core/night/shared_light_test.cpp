#include "core/night/shared_light.h"

#include <gtest/gtest.h>

#include <string>

namespace pathmark::night {
namespace {

constexpr double kScale = 1.5;

MeasurementRecord at(const std::string& body, const std::string& frame, double raArcsec) {
    MeasurementRecord m;
    m.body = BodyId::of(body);
    m.frame = FrameId(frame);
    m.seen = true;
    m.fwhmPixels = 3.0;
    m.sky = skyDegrees(100.0 + raArcsec / 3600.0, 0.0);
    m.candidate = body.starts_with("c0");
    return m;
}

std::set<BodyId> judge(std::vector<MeasurementRecord>& all) {
    return parkSharedLight(all, [](const MeasurementRecord&) { return kScale; });
}

TEST(SharedLightTest, WhatTwoKnownBodiesClaimIsParkedForBoth) {
    std::vector<MeasurementRecord> all{at("2033 AA1", "f1", 0.0),
                                       at("2033 BB2", "f1", 0.4),
                                       at("2033 AA1", "f2", 10.0),
                                       at("2033 BB2", "f2", 14.0),
                                       at("2033 CC3", "f3", 14.0)};
    EXPECT_TRUE(judge(all).empty());
    EXPECT_EQ(all[0].state, MeasurementState::Parked);
    EXPECT_NE(all[0].reason.find("2033 BB2"), std::string::npos);
    EXPECT_EQ(all[1].state, MeasurementState::Parked);
    for (std::size_t i = 2; i < all.size(); ++i) {
        EXPECT_EQ(all[i].state, MeasurementState::Kept) << i; // apart, or another frame
    }
}

TEST(SharedLightTest, ACandidateThatIsAKnownBodyIsNoNews) {
    std::vector<MeasurementRecord> all;
    for (int i = 0; i < 4; ++i) {
        const std::string frame = "f" + std::to_string(i);
        all.push_back(at("2033 AA1", frame, 10.0 * i));
        all.push_back(at("c01", frame, 10.0 * i + (i == 3 ? 8.0 : 0.1)));
        all.push_back(at("c02", frame, 10.0 * i + (i == 3 ? 0.1 : 8.0)));
    }
    EXPECT_EQ(judge(all), std::set<BodyId>{BodyId::of("c01")});
    EXPECT_EQ(all[0].state, MeasurementState::Kept);
    // The other goes its own way: where it passes, the light may be its.
    EXPECT_EQ(all[9].state, MeasurementState::Parked);
}

TEST(SharedLightTest, StacksOfOneTimeShareTheirLight) {
    std::vector<MeasurementRecord> all{at("2033 AA1", "", 0.0), at("2033 BB2", "", 0.2)};
    for (auto& m : all) {
        m.frame = {};
        m.onStack = true;
        m.time = Utc::julian(2464000.5);
    }
    std::vector<MeasurementRecord> later = all;
    later[1].time = later[1].time.plusSeconds(600.0);
    judge(all);
    judge(later);
    EXPECT_EQ(all[0].state, MeasurementState::Parked);
    EXPECT_EQ(later[0].state, MeasurementState::Kept);
}

/// Truth: a coma of 1 / rho that holds 1e6 within 100" leaves 1e6 / (2 pi 100 rho) in a square arcsecond: at 20" 80, so 1270 in a core of
/// 4.5" across.
TEST(ComaTest, WhatLiesInItIsParkedWhereItMatters) {
    std::vector<MeasurementRecord> all{at("C/2033 T4", "f1", 0.0),
                                       at("2033 AA1", "f1", 20.0),
                                       at("2033 BB2", "f1", 20.0),
                                       at("2033 CC3", "f1", 120.0),
                                       at("2033 DD4", "f2", 20.0),
                                       at("2033 EE5", "f1", 20.0),
                                       at("2033 FF6", "f1", 20.0)};
    all[0].coma = ComaPart{1.0, 100.0, "coma", {}};
    all[0].flux = 1e6;
    for (std::size_t i = 1; i < all.size(); ++i) {
        all[i].flux = 12700.0 * (i == 2 ? 1.05 : 0.95);
    }
    // A twentieth of a body's light draws it by more than its error where that is small.
    all[5].flux = all[6].flux = 25400.0;
    all[5].snr = 60.0;
    all[6].snr = 30.0;
    parkInComae(all, [](const MeasurementRecord&) { return kScale; });
    EXPECT_EQ(all[1].state, MeasurementState::Parked);
    EXPECT_EQ(all[5].state, MeasurementState::Parked);
    EXPECT_NE(all[1].reason.find("C/2033 T4"), std::string::npos);
    for (const std::size_t i : {0U, 2U, 3U, 4U, 6U}) {
        EXPECT_EQ(all[i].state, MeasurementState::Kept) << i;
    }
}

} // namespace
} // namespace pathmark::night
