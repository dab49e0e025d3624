#include "core/base/robust.h"
#include "core/detect/detect.h"
#include "core/frame/fits_file.h"
#include "core/night/night_file.h"
#include "core/night/run_night.h"
#include "tests/support/small_night.h"
#include "tests/support/temporary_folder.h"

#include <fmt/format.h>
#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

#include <cmath>
#include <fstream>
#include <map>

// The products of the single steps of a run, held against laws that the simulator does not share and against the places that it gave
// the bodies.
namespace pathmark {
namespace {

namespace fs = std::filesystem;
using night::MeasurementRecord;

class StepsTest : public testing::Test {
  protected:
    static void SetUpTestSuite() {
        folder_ = new test_support::TemporaryFolder;
        test_support::makeSmallNight(folder_->path() / "night");
        ASSERT_TRUE(run({}));
    }

    static void TearDownTestSuite() { delete std::exchange(folder_, nullptr); }

    static Result<night::RunSummary> run(const Job& job) {
        night::RunOptions options;
        options.folder = folder_->path() / "night";
        options.recipe = options.folder / "recipe.toml";
        options.out = folder_->path() / "out";
        return night::runNight(options, job);
    }

    static night::NightFile file() {
        return std::move(*night::NightFile::open(folder_->path() / "out" / "night.pmnight"));
    }

    static std::vector<night::LightRecord> lights() { return file().lights().value(); }

    static std::vector<MeasurementRecord> measurements() { return file().measurements().value(); }

    static std::vector<night::Product> products(night::ProductKind kind) {
        return file().products(kind).value();
    }

    /// The scatter of the middle of an image about its own sky, clipped of stars.
    static RobustMoments middleOf(const frame::Image& image) {
        std::vector<float> values;
        for (int y = image.height() / 4; y < 3 * image.height() / 4; ++y) {
            for (int x = image.width() / 4; x < 3 * image.width() / 4; ++x) {
                if (std::isfinite(image.at(x, y))) {
                    values.push_back(image.at(x, y));
                }
            }
        }
        return clippedMoments(values, 3.0);
    }

    /// Where the simulator put a body in a frame.
    static std::map<std::string, std::map<std::string, SkyPos>> truth() {
        std::ifstream stream(folder_->path() / "night" / "truth.json");
        const auto document = nlohmann::json::parse(stream);
        std::map<std::string, std::map<std::string, SkyPos>> places;
        for (const auto& frame : document.at("frames")) {
            const std::string file =
                fs::path(frame.at("file").get<std::string>()).filename().string();
            for (const auto& [name, body] : frame.at("bodies").items()) {
                places[name][file] =
                    skyDegrees(body.at("ra").get<double>(), body.at("dec").get<double>());
            }
        }
        return places;
    }

    static test_support::TemporaryFolder* folder_;
};

test_support::TemporaryFolder* StepsTest::folder_ = nullptr;

/// Truth: Poisson's law. A calibrated frame is in electrons, so its pixels scatter by the root of the sky's electrons, of the dark's,
/// and of the read noise; the sky stands in the night file, the rest is the camera's own (0.83 e/ADU, 3.3 ADU or so): never less than
/// the sky alone, never more than a quarter above it at this sky.
TEST_F(StepsTest, CalibratedFramesAreInElectrons) {
    int seen = 0;
    for (const auto& light : lights()) {
        const auto loaded = frame::readFits(light.calibrated);
        ASSERT_TRUE(loaded) << loaded.error().detail;
        EXPECT_EQ(loaded->header.text("BUNIT").value_or(""), "electron");
        const RobustMoments pixels = middleOf(loaded->image);
        EXPECT_NEAR(pixels.centre, light.skyElectrons, 0.05 * light.skyElectrons);
        EXPECT_GT(pixels.sigma, 0.97 * std::sqrt(pixels.centre));
        EXPECT_LT(pixels.sigma, 1.25 * std::sqrt(pixels.centre));
        EXPECT_NEAR(pixels.sigma, light.noiseElectrons, 0.05 * pixels.sigma);
        ++seen;
    }
    EXPECT_EQ(seen, 6);
}

/// Truth: independent noise averages down by the root of the number of frames. The stack is resampled, which spreads each value over
/// its neighbours: its pixels scatter a little less than that, and PMNOISE says what a pixel's own would be.
TEST_F(StepsTest, AStackOnTheStarsHasTheNoiseOfItsFrames) {
    const auto all = lights();
    int stacks = 0;
    for (const auto& product : products(night::ProductKind::Stack)) {
        if (product.body.isKnown()) {
            continue;
        }
        const auto loaded = frame::readFits(product.path);
        ASSERT_TRUE(loaded) << loaded.error().detail;
        const double frames = loaded->header.number("NCOMBINE").value_or(0.0);
        ASSERT_GE(frames, 3.0);
        const double expected = all.front().noiseElectrons / std::sqrt(frames);
        EXPECT_NEAR(loaded->header.number("PMNOISE").value_or(0.0), expected, 0.08 * expected);
        const double seen = middleOf(loaded->image).sigma;
        EXPECT_LT(seen, 1.05 * expected);
        EXPECT_GT(seen, 0.6 * expected);
        EXPECT_EQ(loaded->header.text("PMKEY").value_or(""), product.key);
        ++stacks;
    }
    EXPECT_GE(stacks, 1);
}

/// Truth: on the body's own motion the body stands still where it is predicted, and the stars run past it by what it moves while the
/// frames are taken; the simulator's places say how far that is.
TEST_F(StepsTest, AStackOnABodyHoldsTheBodyAndTrailsTheStars) {
    const auto places = truth().at("2034 EW2");
    std::vector<MeasurementRecord> onStack;
    for (const auto& m : measurements()) {
        if (m.onStack && m.body == orbit::BodyId::of("2034 EW2")) {
            onStack.push_back(m);
        }
    }
    ASSERT_FALSE(onStack.empty());
    for (const auto& m : onStack) {
        ASSERT_TRUE(m.seen) << m.reason;
        const auto loaded = frame::readFits(m.picture);
        ASSERT_TRUE(loaded);
        const auto wcs = frame::readWcs(loaded->header);
        ASSERT_TRUE(wcs);
        const auto pixel = wcs->toPixel(m.sky);
        ASSERT_TRUE(pixel);
        EXPECT_NEAR(pixel->x, 0.5 * (loaded->image.width() - 1), 2.0);
        EXPECT_NEAR(pixel->y, 0.5 * (loaded->image.height() - 1), 2.0);
        // The way from its first frame to its last, by the truth.
        double way = 0.0;
        for (const auto& [one, from] : places) {
            for (const auto& [other, to] : places) {
                way = std::max(way, separation(from, to).arcsec());
            }
        }
        EXPECT_GT(way, 3.0) << "else stars and body could not be told apart";
    }
}

/// Truth: the places that the simulator gave the mover that no list knows.
TEST_F(StepsTest, TheCandidatesTrackIsTheUnknownBodys) {
    const auto night = file();
    const auto tracks = night.tracks().value();
    const auto predictions = night.predictions().value();
    ASSERT_EQ(tracks.size(), 1U);
    const auto places = truth().at("unknown");
    int compared = 0;
    for (const auto& p : predictions) {
        if (!p.candidate) {
            continue;
        }
        const auto place = places.find(p.file.filename().string());
        ASSERT_NE(place, places.end()) << p.file;
        EXPECT_LT(separation(p.sky, place->second).arcsec(), 1.0) << p.file;
        ++compared;
    }
    EXPECT_GE(compared, 5);
}

/// Truth: the simulator's places. What is stated as an error must be what the errors are.
TEST_F(StepsTest, MeasuredPlacesScatterAsTheyState) {
    const auto places = truth();
    std::map<night::FrameId, std::string> rawNames;
    for (const auto& light : lights()) {
        rawNames[light.frame] = light.raw.filename().string();
    }
    double sum = 0.0;
    int count = 0;
    for (const auto& m : measurements()) {
        if (!m.seen || m.onStack || m.candidate || m.state != night::MeasurementState::Kept) {
            continue;
        }
        const auto body = places.find(m.body.text());
        ASSERT_NE(body, places.end()) << m.body.text();
        const auto found = body->second.find(rawNames.at(m.frame));
        ASSERT_NE(found, body->second.end()) << rawNames.at(m.frame);
        const PlanePos off = toTangentPlane(found->second, m.sky);
        sum += std::pow(off.xi / kRadiansPerArcsec / m.raErrorArcsec, 2) +
               std::pow(off.eta / kRadiansPerArcsec / m.decErrorArcsec, 2);
        count += 2;
    }
    ASSERT_GE(count, 10);
    // Chi-square of this many: mean 1, three standard deviations.
    EXPECT_NEAR(sum / count, 1.0, 3.0 * std::sqrt(2.0 / count));
}

/// The same night again makes nothing: every product is the one that was there, and no file is written.
TEST_F(StepsTest, NothingIsMadeTwice) {
    std::map<fs::path, fs::file_time_type> before;
    for (const auto& entry : fs::recursive_directory_iterator(folder_->path() / "out")) {
        if (entry.path().extension() == ".fits") {
            before[entry.path()] = entry.last_write_time();
        }
    }
    ASSERT_GT(before.size(), 6U);
    std::map<std::string, int> worked;
    Job job;
    job.onProgress = [&](const Progress& p) {
        worked[p.stage] = std::max(worked[p.stage], p.total);
    };
    ASSERT_TRUE(run(job));
    for (const auto& [path, time] : before) {
        ASSERT_TRUE(fs::exists(path)) << path;
        EXPECT_EQ(fs::last_write_time(path), time) << path;
    }
    EXPECT_EQ(worked["Measuring"], 0);
}

/// A light that is left out is in no stack any more; the others are what they were.
TEST_F(StepsTest, ALightLeftOutIsInNoStack) {
    auto night = file();
    const auto all = night.lights().value();
    const auto out = all[1].frame;
    ASSERT_TRUE(night.decide({"leave out", {night::LeaveOut{out, true, "cloud"}}}));
    ASSERT_TRUE(run({}));
    for (const auto& m : measurements()) {
        EXPECT_NE(m.frame, out);
        if (m.onStack) {
            const auto header = frame::readFitsHeader(m.picture);
            ASSERT_TRUE(header);
            const std::string name = all[1].calibrated.filename().string();
            for (const auto& card : header->cards()) {
                EXPECT_EQ(frame::cardText(card).find(name), std::string::npos) << m.picture;
            }
        }
    }
    const auto now = lights();
    ASSERT_EQ(now.size(), all.size()) << "it stays on the Ribbon";
    EXPECT_EQ(now[1].leftOutBy, "cloud");
    ASSERT_TRUE(night.undo());
    ASSERT_TRUE(run({}));
    EXPECT_TRUE(lights()[1].leftOutBy.empty());
}

/// A run that is stopped anywhere says so and loses nothing that was finished.
TEST_F(StepsTest, AStopAnywhereIsNoFailure) {
    for (const char* stage : {"Calibrating", "Measuring", "Writing reports"}) {
        std::stop_source stop;
        Job job;
        job.stop = stop.get_token();
        job.onProgress = [&](const Progress& p) {
            if (p.stage.find(stage) != std::string::npos) {
                stop.request_stop();
            }
        };
        const auto stopped = run(job);
        if (!stopped) {
            EXPECT_EQ(stopped.error().id, ErrorId::BaseCancelled) << stage;
        }
        EXPECT_EQ(lights().size(), 6U) << stage;
    }
    ASSERT_TRUE(run({}));
}

} // namespace
} // namespace pathmark
