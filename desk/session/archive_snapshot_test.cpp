#include "desk/session/archive_snapshot.h"

#include "core/frame/fits_file.h"
#include "core/identify/archive_table.h"
#include "tests/support/moving_frames.h"
#include "tests/support/temporary_folder.h"

#include <gtest/gtest.h>

#include <cmath>
#include <fstream>

namespace pathmark::desk {
namespace {

namespace fs = std::filesystem;

class ArchiveListTest : public testing::Test {
  protected:
    /// A solved frame of that time; its middle lies `east` arcsec off (100, 30) degrees.
    void writeFrame(const std::string& name, const std::string& start, double east) const {
        frame::Wcs wcs = test_support::turnedWcs(0.0, {60.0, 50.0}, 2.0);
        wcs.referenceSky = offsetBy(wcs.referenceSky, east, 0.0);
        frame::Header header;
        header.set("DATE-OBS", start, "start");
        header.set("EXPTIME", 60.0, "s");
        frame::writeWcs(wcs, header);
        ASSERT_TRUE(frame::writeFits(folder / name, frame::Image(120, 100, 1.0F), header));
    }

    static identify::ArchiveRow row(const std::string& body,
                                    const std::string& file,
                                    const std::string& time,
                                    std::optional<double> magnitude) {
        identify::ArchiveRow made;
        made.body = body;
        made.file = file;
        made.middle = *parseUtc(time);
        made.sky = skyDegrees(100.0, 30.0);
        made.x = 61.0;
        made.y = 51.0;
        made.rateArcsecPerMin = 0.5;
        made.positionAngleDegrees = 100.0;
        made.magnitude = magnitude;
        made.limitingMagnitude = 19.0;
        return made;
    }

    [[nodiscard]] fs::path written(const std::vector<identify::ArchiveRow>& rows,
                                   const std::string& name = "list.csv") const {
        fs::path path = folder / name;
        std::ofstream(path) << (path.extension() == ".csv" ? identify::toArchiveCsv(rows)
                                                           : identify::toArchiveVoTable(rows));
        return path;
    }

    test_support::TemporaryFolder folder;
};

TEST_F(ArchiveListTest, ItsNamesAreKnownByTheirEndings) {
    EXPECT_TRUE(isArchiveList("/a/list.csv"));
    EXPECT_TRUE(isArchiveList("/a/LIST.VOT"));
    EXPECT_TRUE(isArchiveList("list.xml"));
    EXPECT_FALSE(isArchiveList("/a/night.pmnight"));
    EXPECT_FALSE(isArchiveList("/a/csv"));
}

/// Frames of one night and field share a lane; another field of the night and another night have their own.
TEST_F(ArchiveListTest, FramesOfOneNightAndFieldShareALane) {
    writeFrame("a.fits", "2034-03-17T22:00:00", 0.0);
    writeFrame("b.fits", "2034-03-17T23:00:00", 20.0);
    writeFrame("c.fits", "2034-03-18T02:00:00", 4000.0); // the same night after midnight
    writeFrame("d.fits", "2034-03-18T22:00:00", 0.0);
    const auto read = readArchiveList(written({row("(5)", "d.fits", "2034-03-18T22:00:30", 18.0),
                                               row("(5)", "a.fits", "2034-03-17T22:00:30", 18.0),
                                               row("(7)", "a.fits", "2034-03-17T22:00:30", {}),
                                               row("(5)", "b.fits", "2034-03-17T23:00:30", 18.0),
                                               row("(5)", "c.fits", "2034-03-18T02:00:30", 18.0)}));
    ASSERT_TRUE(read) << read.error().detail;
    const NightSnapshot& night = **read;
    EXPECT_TRUE(night.isArchive);
    ASSERT_EQ(night.lights->size(), 4U) << "a frame of two bodies is one frame";
    std::vector<std::string> lanes;
    for (const auto& light : *night.lights) {
        EXPECT_TRUE(light.solved());
        EXPECT_EQ(light.width, 120);
        lanes.push_back(light.seriesTitle);
    }
    EXPECT_EQ(
        lanes,
        (std::vector<std::string>{"2034-03-17 a", "2034-03-17 a", "2034-03-17 b", "2034-03-18 a"}));
    EXPECT_EQ(night.predictions->size(), 5U);
    EXPECT_EQ(night.bodies.size(), 2U);
    EXPECT_EQ(night.excluded.size(), 4U);
}

/// Five sigma at the limit: a magnitude above it is 2.512 times as much.
TEST_F(ArchiveListTest, ReachFollowsFromMagnitudeAndLimit) {
    writeFrame("a.fits", "2034-03-17T22:00:00", 0.0);
    const auto read = readArchiveList(written({row("(5)", "a.fits", "2034-03-17T22:00:30", 17.0),
                                               row("(7)", "a.fits", "2034-03-17T22:00:30", {})},
                                              "list.vot"));
    ASSERT_TRUE(read) << read.error().detail;
    const auto& predictions = *(*read)->predictions;
    ASSERT_EQ(predictions.size(), 2U);
    ASSERT_TRUE(predictions[0].snr);
    EXPECT_NEAR(*predictions[0].snr, 5.0 * std::pow(10.0, 0.8), 1e-6);
    EXPECT_FALSE(predictions[1].snr);
    // The first pixel's middle is 1 in files and 0 inside.
    EXPECT_NEAR(predictions[0].pixel.x, 60.0, 1e-9);
    EXPECT_NEAR(predictions[0].pixel.y, 50.0, 1e-9);
}

TEST_F(ArchiveListTest, AFrameThatIsGoneStandsThereWithItsReason) {
    const auto read =
        readArchiveList(written({row("(5)", "gone.fits", "2034-03-17T22:00:30", 18.0)}));
    ASSERT_TRUE(read) << read.error().detail;
    ASSERT_EQ((*read)->lights->size(), 1U);
    EXPECT_FALSE((*read)->lights->front().solved());
    EXPECT_FALSE((*read)->lights->front().problem.empty());
}

TEST_F(ArchiveListTest, WhatIsNoListIsSaidWithItsFile) {
    std::ofstream(folder / "other.csv") << "a,b\n1,2\n";
    const auto other = readArchiveList(folder / "other.csv");
    ASSERT_FALSE(other);
    EXPECT_NE(other.error().subject.find("other.csv"), std::string::npos);
    EXPECT_FALSE(readArchiveList(folder / "none.csv"));
}

} // namespace
} // namespace pathmark::desk
