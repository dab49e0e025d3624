#include "core/frame/folder_scan.h"

#include "core/frame/fits_file.h"
#include "tests/support/temporary_folder.h"

#include <gtest/gtest.h>

#include <fstream>

namespace pathmark::frame {
namespace {

using test_support::TemporaryFolder;

void writeFrame(const std::filesystem::path& path, const char* keyword = "OBJECT") {
    std::filesystem::create_directories(path.parent_path());
    Header header;
    header.set(keyword, std::string("x"));
    ASSERT_TRUE(writeFits(path, Image(4, 4), header));
}

TEST(ScanFolderTest, FindsFramesAtAnyDepthInOrder) {
    const TemporaryFolder folder;
    writeFrame(folder.path() / "b" / "deep" / "2.fit");
    writeFrame(folder.path() / "a.FITS");
    writeFrame(folder.path() / "c.fts");
    std::ofstream(folder / "notes.txt") << "no frame";
    const auto scan = scanFolder(folder.path(), {});
    ASSERT_TRUE(scan);
    ASSERT_EQ(scan->frames.size(), 3U);
    EXPECT_EQ(scan->frames[0].path.filename(), "a.FITS");
    EXPECT_EQ(scan->frames[1].path.filename(), "2.fit");
    EXPECT_TRUE(scan->failures.empty());
}

TEST(ScanFolderTest, BadFilesAreNamedAndOwnResultsPassedOver) {
    const TemporaryFolder folder;
    writeFrame(folder / "good.fits");
    writeFrame(folder / "result.fits", "PMKEY");
    std::ofstream(folder / "bad.fits") << "no FITS at all";
    const auto scan = scanFolder(folder.path(), {});
    ASSERT_TRUE(scan);
    EXPECT_EQ(scan->frames.size(), 1U);
    EXPECT_EQ(scan->ownResults, 1);
    ASSERT_EQ(scan->failures.size(), 1U);
    EXPECT_EQ(scan->failures[0].subject, (folder / "bad.fits").string());
}

TEST(ScanFramesTest, FilesAndFoldersTogetherEachOnce) {
    const TemporaryFolder folder;
    writeFrame(folder.path() / "a" / "1.fits");
    writeFrame(folder.path() / "a" / "2.fits");
    writeFrame(folder.path() / "b" / "3.picture");
    const std::vector<std::filesystem::path> places{folder / "a",
                                                    folder.path() / "a" / "1.fits",
                                                    folder.path() / "b" / "3.picture",
                                                    folder / "missing.fits"};
    const auto scan = scanFrames(places, {});
    ASSERT_TRUE(scan);
    ASSERT_EQ(scan->frames.size(), 3U);
    EXPECT_EQ(scan->frames[2].path.filename(), "3.picture"); // named, whatever its ending
    ASSERT_EQ(scan->failures.size(), 1U);
    EXPECT_EQ(scan->failures[0].subject, (folder / "missing.fits").string());
}

/// A file of several images: those of one size and kind are frames each, with sensors told apart; maps and previews are not.
TEST(ScanFramesTest, SensorsOfOneFileAreFramesOfTheirOwn) {
    const TemporaryFolder folder;
    const Image sensor(6, 4);
    const Image preview(3, 2);
    const std::vector<NamedImage> more{
        {"CCD2", &sensor}, {"MASK", &sensor}, {"THUMBNAIL", &preview}};
    Header header;
    header.set("OBJECT", std::string("x"));
    header.set("INSTRUME", std::string("Pair"));
    ASSERT_TRUE(writeFits(folder / "pair.fits", sensor, header, PixelType::Float32, more));
    const auto scan = scanFolder(folder.path(), {});
    ASSERT_TRUE(scan);
    ASSERT_EQ(scan->frames.size(), 2U);
    EXPECT_EQ(scan->frames[0].path.filename(), "pair.fits[0]");
    EXPECT_EQ(scan->frames[1].path.filename(), "pair.fits[1]");
    EXPECT_EQ(scan->frames[1].camera, "Pair CCD2");
    EXPECT_NE(scan->frames[0].camera, scan->frames[1].camera);
    EXPECT_EQ(frameStem(scan->frames[1].path), "pair_1");
    // Our own colours and maps are parts of one frame.
    header.set("PMKEY", std::string("1234"));
    const std::vector<NamedImage> colours{{"RED", &sensor}, {"BLUE", &sensor}};
    ASSERT_TRUE(writeFits(folder / "ours.fits", sensor, header, PixelType::Float32, colours));
    EXPECT_EQ(framesOfFile(folder / "ours.fits"),
              std::vector<std::filesystem::path>{folder / "ours.fits"});
}

TEST(ScanFolderTest, LoopsOfLinksEnd) {
    const TemporaryFolder folder;
    writeFrame(folder.path() / "sub" / "a.fits");
    std::filesystem::create_directory_symlink(folder.path(), folder.path() / "sub" / "again");
    const auto scan = scanFolder(folder.path(), {});
    ASSERT_TRUE(scan);
    EXPECT_EQ(scan->frames.size(), 1U);
}

TEST(ScanFolderTest, EmptyAndMissingFoldersAreSaid) {
    const TemporaryFolder folder;
    EXPECT_EQ(scanFolder(folder.path(), {}).error().id, ErrorId::FrameNoFrames);
    EXPECT_EQ(scanFolder(folder / "missing", {}).error().subject, (folder / "missing").string());
}

TEST(ScanFolderTest, ProgressIsToldAndAStopHeard) {
    const TemporaryFolder folder;
    writeFrame(folder / "a.fits");
    writeFrame(folder / "b.fits");
    std::stop_source stop;
    int told = 0;
    Job job;
    job.stop = stop.get_token();
    job.onProgress = [&](const Progress& p) {
        ++told;
        EXPECT_EQ(p.total, 2);
        stop.request_stop();
    };
    const auto scan = scanFolder(folder.path(), job);
    ASSERT_FALSE(scan);
    EXPECT_EQ(scan.error().id, ErrorId::BaseCancelled);
    EXPECT_EQ(told, 1);
}

TEST(HeaderTest, TheLastOfSeveralWinsAndTextIsTrimmed) {
    Header header;
    header.add({"EXPTIME", 10.0, ""});
    header.add({"EXPTIME", 20.0, ""});
    header.add({"FILTER", std::string("  R  "), ""});
    header.add({"EMPTY", std::string("   "), ""});
    header.add({"COUNT", std::string(" 12.5 "), ""});
    EXPECT_EQ(header.number("EXPTIME"), 20.0);
    EXPECT_EQ(header.text("FILTER"), "R");
    EXPECT_FALSE(header.text("EMPTY"));
    EXPECT_EQ(header.number("COUNT"), 12.5);
    EXPECT_FALSE(header.number("FILTER"));
    header.set("FILTER", std::string("V"));
    EXPECT_EQ(header.text("FILTER"), "V");
    header.remove("FILTER");
    EXPECT_EQ(header.find("FILTER"), nullptr);
}

} // namespace
} // namespace pathmark::frame
