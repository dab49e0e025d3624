#pragma once

#include "tests/support/calibrated_frames.h"
#include "tests/support/run_command.h"

#include <fmt/format.h>
#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <memory>
#include <string>

namespace pathmark::test_support {

/// The command on a series of calibrated frames whose every light is known.
class SeriesTest : public testing::Test {
  protected:
    void make(const MovingFramesPlan& plan) {
        series_ = std::make_unique<MovingFrames>(plan);
        writeCalibrated(*series_, frames_, {"V"});
        writeStars(*series_, folder_, "made");
    }

    static MovingFramesPlan smallPlan() {
        MovingFramesPlan plan;
        plan.side = 300;
        plan.stars = 160;
        plan.count = 6;
        plan.bodyElectrons = 2500.0;
        return plan;
    }

    /// The one object that a call prints.
    [[nodiscard]] nlohmann::json told(const std::string& arguments, int status = 0) const {
        const Ended ended = runCommand(arguments + " --json", folder_);
        EXPECT_EQ(ended.status, status) << arguments << "\n" << ended.errors;
        return nlohmann::json::parse(ended.output, nullptr, false);
    }

    /// The stacks of a call.
    [[nodiscard]] nlohmann::json stacked(const std::string& options, int status = 0) const {
        return told(fmt::format("stack '{}' {} --out '{}'",
                                frames_.path().string(),
                                options,
                                (folder_ / "stacks").string()),
                    status);
    }

    /// What is measured at a place of the sky.
    [[nodiscard]] nlohmann::json
    measuredAt(const std::string& file, const SkyPos& place, const std::string& more = {}) const {
        return told(fmt::format("measure '{}' --at {:.7f} {:.7f} --store '{}' --catalog made {}",
                                file,
                                place.longitude.degrees(),
                                place.latitude.degrees(),
                                folder_.path().string(),
                                more))
            .at("measurements")
            .at(0);
    }

    /// A star of good light near the middle with nothing beside it.
    [[nodiscard]] std::size_t lonelyStar() const {
        const auto& stars = series_->stars;
        for (std::size_t i = 0; i < stars.size(); ++i) {
            const bool isGood = series_->starElectrons[i] > 5000.0 &&
                                series_->starElectrons[i] < 40000.0 &&
                                separation(stars[i], skyDegrees(100.0, 30.0)).arcsec() < 100.0;
            const bool isAlone = std::none_of(stars.begin(), stars.end(), [&](const SkyPos& other) {
                const double apart = separation(other, stars[i]).arcsec();
                return apart > 0.0 && apart < 13.0;
            });
            const bool isPassed =
                std::any_of(series_->body.begin(), series_->body.end(), [&](const SkyPos& body) {
                    return separation(body, stars[i]).arcsec() < 16.0;
                });
            if (isGood && isAlone && !isPassed) {
                return i;
            }
        }
        ADD_FAILURE() << "no such star";
        return 0;
    }

    TemporaryFolder folder_;
    TemporaryFolder frames_;
    std::unique_ptr<MovingFrames> series_;
};

} // namespace pathmark::test_support
