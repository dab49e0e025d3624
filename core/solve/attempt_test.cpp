#include "core/solve/attempt.h"

#include <gtest/gtest.h>

namespace pathmark::solve {
namespace {

/// An attempt that met nothing wrong but the pattern.
SolveAttempt plain() {
    SolveAttempt attempt;
    attempt.sources = 84;
    attempt.starlike = 80;
    attempt.fwhmPixels = 2.4;
    attempt.centre = skyDegrees(10.0, 5.0);
    attempt.radius = Angle::degrees(0.45);
    attempt.scaleLow = 0.9;
    attempt.scaleHigh = 1.3;
    attempt.starsAround = 700;
    attempt.placesTried = 3000.0;
    attempt.bestMatched = 5;
    attempt.bestOf = 60;
    return attempt;
}

/// The question that is the reason, and what is advised.
const SolveCheck& reason(const std::vector<SolveCheck>& checks) {
    for (const SolveCheck& check : checks) {
        if (!check.passed) {
            return check;
        }
    }
    ADD_FAILURE() << "nothing failed";
    return checks.front();
}

struct Case {
    const char* question;
    const char* advice; ///< a part of it
    SolveAttempt attempt;
};

TEST(SolveAttemptTest, TheFirstThingWrongIsTheReasonAndHasAdvice) {
    std::vector<Case> cases;
    cases.push_back({"A pattern of stars fits", "solve blind, or fit by hand", plain()});
    cases.push_back({"A pattern of stars fits", "one exposure of the sky", plain()});
    cases.back().attempt.wholeSky = true;
    cases.push_back({"Enough stars in the frame", "clouds and focus", plain()});
    cases.back().attempt.starlike = 7;
    cases.push_back({"Stars are points", "tracking", plain()});
    cases.back().attempt.trailPixels = 31.0;
    cases.push_back({"The pointing is known", "solve blind", plain()});
    cases.back().attempt.centre.reset();
    cases.push_back({"The catalogue covers the field", "covers the field", plain()});
    cases.back().attempt.starsAround = 3;
    for (const Case& one : cases) {
        const auto checks = checksOf(one.attempt);
        EXPECT_EQ(checks.size(), 5U);
        EXPECT_EQ(reason(checks).question, one.question);
        EXPECT_NE(reason(checks).advice.find(one.advice), std::string::npos)
            << reason(checks).advice;
        for (const SolveCheck& check : checks) {
            EXPECT_FALSE(check.finding.empty()) << check.question;
            EXPECT_EQ(check.passed, check.advice.empty()) << check.question;
        }
        // The sentence ends with the same advice.
        EXPECT_NE(explain(one.attempt).find(one.advice), std::string::npos) << explain(one.attempt);
    }
}

TEST(SolveAttemptTest, WithoutStarsNobodyKnowsWhetherTheyArePoints) {
    SolveAttempt attempt = plain();
    attempt.sources = 0;
    attempt.starlike = 0;
    attempt.fwhmPixels = 0.0;
    const auto checks = checksOf(attempt);
    EXPECT_EQ(reason(checks).question, "Enough stars in the frame");
    EXPECT_EQ(checks[1].question, "Stars are points");
    EXPECT_FALSE(checks[1].passed);
    EXPECT_EQ(checks[1].finding, "no star to tell by");
}

TEST(SolveAttemptTest, TheNumbersAreSaid) {
    SolveAttempt attempt = plain();
    attempt.bestChanceLog10 = -5.0;
    const auto checks = checksOf(attempt);
    EXPECT_NE(checks[0].finding.find("84 sources, 80"), std::string::npos);
    EXPECT_NE(checks[1].finding.find("2.4 pixels"), std::string::npos);
    EXPECT_NE(checks[2].finding.find("0.45 degrees"), std::string::npos);
    EXPECT_NE(checks[2].finding.find("0.90 to 1.30"), std::string::npos);
    EXPECT_NE(checks[3].finding.find("700"), std::string::npos);
    EXPECT_NE(checks[4].finding.find("3000 places"), std::string::npos);
    EXPECT_NE(checks[4].finding.find("5 of 60"), std::string::npos);
    EXPECT_NE(checks[4].finding.find("once in 100000 frames"), std::string::npos);
    EXPECT_NE(checks[4].finding.find("100 million"), std::string::npos);
}

} // namespace
} // namespace pathmark::solve
