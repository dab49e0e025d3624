#include "core/night/night_file.h"
#include "tests/support/temporary_folder.h"

#include <SQLiteCpp/SQLiteCpp.h>
#include <gtest/gtest.h>

#include <filesystem>
#include <fstream>
#include <iterator>

namespace pathmark::night {
namespace {

using test_support::TemporaryFolder;

/// A night file that version 2 of the program wrote of a made-up night of two lights, with decisions of every kind; kept as
/// the statements that make it.
class Version2Test : public testing::Test {
  protected:
    void SetUp() override {
        std::ifstream stream(std::filesystem::path(PATHMARK_SOURCE_DIR) /
                             "tests/data/night-version-2.sql");
        const std::string sql((std::istreambuf_iterator<char>(stream)), {});
        ASSERT_FALSE(sql.empty());
        {
            SQLite::Database db(path().string(), SQLite::OPEN_READWRITE | SQLite::OPEN_CREATE);
            db.exec(sql);
        }
        auto opened = NightFile::open(path());
        ASSERT_TRUE(opened) << opened.error().detail;
        file_.emplace(std::move(*opened));
    }

    [[nodiscard]] std::filesystem::path path() const { return folder_ / "night.pmnight"; }

    [[nodiscard]] const NightFile& file() const { return *file_; }

    TemporaryFolder folder_;
    std::optional<NightFile> file_;
};

TEST_F(Version2Test, OpensWithItsFramesLightsAndMeasurements) {
    EXPECT_EQ(file().frames().value().size(), 8U);
    const auto lights = file().lights().value();
    ASSERT_EQ(lights.size(), 2U);
    EXPECT_TRUE(lights[0].frame.isKnown());
    EXPECT_EQ(lights[0].raw.filename(), "east_001.fits");
    EXPECT_TRUE(lights[0].solved());
    EXPECT_NEAR(lights[0].wcs->scaleArcsec(), 1.061, 0.01);
    EXPECT_GT(lights[0].shape.beta, 1.0);
    EXPECT_EQ(lights[0].series, lights[1].series);
    const auto made = file().madeMeasurements().value();
    ASSERT_EQ(made.size(), 4U);
    EXPECT_EQ(made[0].body, BodyId::of("2711043"));
    EXPECT_EQ(made[0].frame, lights[0].frame);
    EXPECT_EQ(made[0].id, measurementId(made[0].body, {made[0].frame}));
    EXPECT_NEAR(made[0].sky.longitude.degrees(), 177.25187899, 1e-8);
}

/// Truth: what was decided in the older night file, row by row.
TEST_F(Version2Test, KeepsEveryDecision) {
    const auto lights = file().lights().value();
    const auto decided = file().decided().value();
    ASSERT_EQ(decided.leftOut.size(), 1U);
    EXPECT_TRUE(decided.leftOut.contains(lights[1].frame));
    ASSERT_EQ(decided.measurements.size(), 1U);
    const auto measurements = file().measurements().value();
    EXPECT_EQ(measurements[0].state, MeasurementState::Dropped);
    EXPECT_EQ(measurements[0].reason, "decided by the observer: dropped");
    ASSERT_EQ(decided.kinds.size(), 1U);
    EXPECT_EQ(decided.kinds.begin()->second, frame::FrameKind::Bias);
    ASSERT_EQ(decided.masters.size(), 1U);
    EXPECT_EQ(decided.masters.begin()->second.front().role, calibrate::Role::Flat);
    EXPECT_FALSE(decided.masters.begin()->second.front().group.isKnown());
    ASSERT_EQ(decided.handFits.size(), 1U);
    EXPECT_TRUE(decided.handFits.at(lights[0].frame).isOfferedTo(lights[1].frame));
    EXPECT_EQ(decided.handFits.at(lights[0].frame).wcs.cd, lights[0].wcs->cd);
    EXPECT_EQ(decided.observationsOff.size(), 2U);
    EXPECT_TRUE(decided.observationsOff.contains(measurements[1].id))
        << "tonight's own go by their new names";
}

TEST_F(Version2Test, IsAVersion4FileFromThenOn) {
    file_.reset();
    const auto again = NightFile::open(path());
    ASSERT_TRUE(again);
    EXPECT_EQ(again->history().value().size(), 1U);
    SQLite::Database db(path().string());
    EXPECT_EQ(db.execAndGet("PRAGMA user_version").getInt(), 5);
    EXPECT_EQ(db.execAndGet("SELECT count(*) FROM sqlite_master WHERE name LIKE 'old_%'").getInt(),
              0);
}

/// Version 3 knew no sweeps: it opens with all it has, and none.
TEST(Version3Test, OpensWithoutSweeps) {
    const test_support::TemporaryFolder folder;
    const auto path = folder.path() / "night.pmnight";
    {
        auto file = NightFile::open(path);
        ASSERT_TRUE(file);
        ASSERT_TRUE(file->decide({"leave out", {LeaveOut{FrameId("one"), true, {}}}}));
        SQLite::Database db(path.string(), SQLite::OPEN_READWRITE);
        db.exec("DROP TABLE sweep");
        db.exec("DROP TABLE sending");
        db.exec("PRAGMA user_version = 3");
    }
    const auto file = NightFile::open(path);
    ASSERT_TRUE(file) << file.error().detail;
    EXPECT_EQ(file->decided()->leftOut.size(), 1U);
    ASSERT_TRUE(file->sweeps());
    EXPECT_TRUE(file->sweeps()->empty());
    ASSERT_TRUE(file->sendings());
    EXPECT_TRUE(file->sendings()->empty());
}

/// A night file of a later version is left alone, and said to be one.
TEST(LaterVersionTest, IsRefusedWithASentence) {
    const TemporaryFolder folder;
    {
        SQLite::Database db((folder / "n.pmnight").string(),
                            SQLite::OPEN_READWRITE | SQLite::OPEN_CREATE);
        db.exec("PRAGMA user_version = 99");
        db.exec("CREATE TABLE anything (x)");
    }
    const auto file = NightFile::open(folder / "n.pmnight");
    ASSERT_FALSE(file);
    EXPECT_EQ(file.error().id, ErrorId::NightFileDamaged);
    EXPECT_NE(file.error().detail.find("of version 99"), std::string::npos);
}

} // namespace
} // namespace pathmark::night
