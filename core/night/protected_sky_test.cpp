#include "core/night/protected_sky.h"

#include "core/frame/fits_file.h"
#include "core/night/calibrate_folder.h"
#include "tests/support/matchers.h"
#include "tests/support/photons.h"
#include "tests/support/temporary_folder.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cmath>
#include <fstream>

namespace pathmark::night {
namespace {

namespace fs = std::filesystem;

frame::FrameInfo light(int minute, const std::string& object = "Comet") {
    frame::FrameInfo info;
    info.path = fmt::format("/n/{}_{:02}.fits", object, minute);
    info.id = FrameId(fmt::format("{}{:02}", object, minute));
    info.kind = frame::FrameKind::Light;
    info.object = object;
    info.width = 400;
    info.height = 300;
    info.midExposure = Utc::julian(2463000.5).plusSeconds(60.0 * minute);
    return info;
}

ProtectedMark mark(const frame::FrameInfo& info, double x, double y, double radius) {
    return {info.path.filename().string(), {{x, y}, radius}};
}

TEST(ProtectedSkyTest, OneMarkStaysTwoGoWithTheTimeAndOn) {
    const std::vector<frame::FrameInfo> frames{light(0), light(10), light(20), light(40)};
    CalibrationSettings settings;
    settings.protect.push_back({{5.0, 6.0}, 7.0});
    settings.protectMarks = {mark(frames[1], 100.0, 50.0, 30.0)};
    const ProtectedSky one(settings, {}, frames);
    for (const auto& info : frames) {
        ASSERT_EQ(one.on(info).size(), 2U);
        EXPECT_EQ(one.on(info)[0].radius, 7.0);
        EXPECT_EQ(one.on(info)[1].centre.x, 100.0);
    }
    // Whatever their order in the file.
    settings.protectMarks = {mark(frames[2], 120.0, 40.0, 40.0),
                             mark(frames[1], 100.0, 50.0, 30.0)};
    const ProtectedSky two(settings, {}, frames);
    const auto at = [&](int minute) { return two.on(light(minute))[1]; };
    EXPECT_NEAR(at(15).centre.x, 110.0, 1e-9);
    EXPECT_NEAR(at(15).centre.y, 45.0, 1e-9);
    EXPECT_NEAR(at(15).radius, 35.0, 1e-9);
    EXPECT_NEAR(at(0).centre.x, 80.0, 1e-9);
    EXPECT_NEAR(at(0).radius, 30.0, 1e-9) << "a radius does not grow beyond the marks";
    EXPECT_NEAR(at(40).centre.x, 160.0, 1e-9);
    EXPECT_NEAR(at(40).radius, 40.0, 1e-9);
    EXPECT_NE(two.textOn(frames[1]), two.textOn(frames[2]));
}

TEST(ProtectedSkyTest, AMarkIsForItsOwnTargetAndWhatIsDecidedGoesOverIt) {
    const std::vector<frame::FrameInfo> frames{light(0), light(10), light(0, "Field")};
    CalibrationSettings settings;
    settings.protectMarks = {mark(frames[0], 10.0, 10.0, 5.0), {"gone.fits", {{1.0, 1.0}, 2.0}}};
    Decided decided;
    decided.apply(ProtectDisc{frames[0].id, calibrate::ProtectedDisc{{20.0, 20.0}, 9.0}});
    const ProtectedSky sky(settings, decided, frames);
    EXPECT_TRUE(sky.on(frames[2]).empty());
    ASSERT_EQ(sky.on(frames[1]).size(), 1U);
    EXPECT_EQ(sky.on(frames[1])[0].centre.x, 20.0);
    EXPECT_EQ(sky.unknown(), std::vector<std::string>{"gone.fits"});
    decided.apply(ProtectDisc{frames[0].id, std::nullopt});
    EXPECT_EQ(ProtectedSky(settings, decided, frames).on(frames[1])[0].centre.x, 10.0);
}

TEST(ProtectedSkyTest, ATableThatHoldsNoDiscsIsSaid) {
    const test_support::TemporaryFolder folder;
    const auto read = [&](const std::string& text) {
        std::ofstream(folder / "marks.csv") << text;
        return readProtectedMarks(folder / "marks.csv");
    };
    const auto good = read("radius,file,y,x\n12,a.fits,3,2\n\n");
    ASSERT_TRUE(good);
    ASSERT_EQ(good->size(), 1U);
    EXPECT_EQ(good->front().file, "a.fits");
    EXPECT_EQ(good->front().disc.centre.x, 1.0) << "the first pixel counts 1";
    EXPECT_EQ(good->front().disc.radius, 12.0);
    for (const char* wrong : {"",
                              "file,x,y\na,1,2\n",
                              "file,x,y,radius\na,1,2\n",
                              "file,x,y,radius\na,1,2,0\n",
                              "file,x,y,radius\na,1,two,3\n"}) {
        const auto bad = read(wrong);
        ASSERT_FALSE(bad) << wrong;
        EXPECT_EQ(bad.error().id, ErrorId::NightBadMarks);
    }
    EXPECT_FALSE(readProtectedMarks(folder / "gone.csv"));
}

TEST(ProtectedSkyTest, DecisionsAreStoredAndRead) {
    const Decision background =
        SetBackground{BackgroundChoice{WithoutFlats::Sky, GradientSettings{true, 0, true}}};
    const Decision disc = ProtectDisc{FrameId("f"), calibrate::ProtectedDisc{{1.5, 2.5}, 3.5}};
    Decided decided;
    for (const Decision& one : decisionsFrom(toText({background, disc}))) {
        decided.apply(one);
    }
    const CalibrationSettings settings = decided.over({});
    EXPECT_EQ(settings.withoutFlats, WithoutFlats::Sky);
    EXPECT_TRUE(settings.gradient.removed);
    EXPECT_EQ(settings.gradient.degree, 0);
    EXPECT_TRUE(settings.gradient.perSeries);
    EXPECT_EQ(decided.protectedDiscs.at(FrameId("f")).centre.y, 2.5);
    decided.apply(SetBackground{});
    EXPECT_FALSE(decided.over({}).gradient.removed) << "again what the recipe says";
}

constexpr double kComa = 25.0; ///< electrons above the sky, all over its disc

/// Three lights of a broad coma that goes 60 pixels from the first to the last, over a sky that slopes.
void writeLights(const fs::path& folder) {
    test_support::Photons photons(11);
    for (int k = 0; k < 3; ++k) {
        frame::Image image(600, 400);
        for (int y = 0; y < 400; ++y) {
            for (int x = 0; x < 600; ++x) {
                const bool isComa = std::hypot(x - 240.0 - 30.0 * k, y - 200.0) < 70.0;
                image.at(x, y) =
                    static_cast<float>(photons.poisson(300.0 + 0.05 * x + (isComa ? kComa : 0.0)));
            }
        }
        frame::Header header;
        header.set("IMAGETYP", "LIGHT", "");
        header.set("OBJECT", "Comet", "");
        header.set("DATE-OBS", fmt::format("2034-03-17T22:{:02}:00", 10 * k), "");
        header.set("EXPTIME", 60.0, "");
        header.set("EGAIN", 1.0, "");
        ASSERT_TRUE(frame::writeFits(
            folder / fmt::format("c{}.fits", k), image, header, frame::PixelType::UInt16));
    }
}

/// What is left of the coma in the middle light when a smooth gradient was taken off.
double comaLeft(const fs::path& folder, const std::vector<ProtectedMark>& marks) {
    CalibrateOptions options;
    options.folder = folder;
    options.out = folder.parent_path() / fmt::format("out{}", marks.size());
    options.settings.gradient = {true, 0, false};
    options.settings.protectMarks = marks;
    const auto done = calibrateFolder(options, {});
    EXPECT_TRUE(done);
    const auto frame = frame::readFits(options.out / "calibrated" / "c1.fits");
    EXPECT_TRUE(frame);
    double inside = 0.0;
    double outside = 0.0;
    int in = 0;
    int out = 0;
    for (int y = 0; y < 400; ++y) {
        for (int x = 0; x < 600; ++x) {
            const double r = std::hypot(x - 270.0, y - 200.0);
            if (r < 50.0) {
                inside += static_cast<double>(frame->image.at(x, y));
                ++in;
            } else if (r > 110.0 && r < 190.0) {
                outside += static_cast<double>(frame->image.at(x, y));
                ++out;
            }
        }
    }
    return inside / in - outside / out;
}

/// Truth: the coma drawn, 25 electrons over the sky. A smooth surface follows it and takes it off; with the comet marked in the first
/// and the last light it is there in the middle one.
TEST(ProtectedSkyTest, AMarkedComaIsNotTakenForAGradient) {
    const test_support::TemporaryFolder folder;
    fs::create_directories(folder / "lights");
    writeLights(folder / "lights");
    EXPECT_LT(comaLeft(folder / "lights", {}), 0.5 * kComa) << "or this shows nothing";
    const double left =
        comaLeft(folder / "lights",
                 {{"c0.fits", {{240.0, 200.0}, 85.0}}, {"c2.fits", {{300.0, 200.0}, 85.0}}});
    EXPECT_NEAR(left, kComa, 0.06 * kComa);
}

} // namespace
} // namespace pathmark::night
