#include "core/frame/folder_scan.h"
#include "core/frame/open_frame.h"
#include "tests/support/temporary_folder.h"

#include <fmt/format.h>
#include <gtest/gtest.h>
#include <sys/stat.h>
#include <unistd.h>

#include <fstream>
#include <limits>

namespace pathmark::frame {
namespace {

using test_support::TemporaryFolder;
namespace fs = std::filesystem;

/// A FITS file from cards as they are, right or wrong, and zero bytes as pixels.
void writeCardsAsTheyAre(const fs::path& path,
                         const std::vector<std::string>& cards,
                         std::size_t dataBytes) {
    std::string text;
    for (const std::string& card : cards) {
        text += card + std::string(80 - card.size(), ' ');
    }
    text += "END" + std::string(77, ' ');
    text.resize((text.size() + 2879) / 2880 * 2880, ' ');
    text += std::string((dataBytes + 2879) / 2880 * 2880, '\0');
    std::ofstream(path, std::ios::binary) << text;
}

std::string card(const std::string& keyword, long value) {
    return fmt::format("{:8}= {:20}", keyword, value);
}

std::vector<std::string> imageCards(long bitpix, long width, long height) {
    return {"SIMPLE  =                    T",
            card("BITPIX", bitpix),
            card("NAXIS", 2),
            card("NAXIS1", width),
            card("NAXIS2", height)};
}

Error errorOf(const fs::path& path) {
    const auto loaded = describeFile(path, {});
    EXPECT_FALSE(loaded) << path;
    return loaded ? Error{ErrorId::BaseCancelled, "", ""} : loaded.error();
}

TEST(BadFilesTest, ZeroSizeFrames) {
    const TemporaryFolder folder;
    writeCardsAsTheyAre(folder / "a.fits", imageCards(16, 0, 100), 0);
    EXPECT_EQ(errorOf(folder / "a.fits").id, ErrorId::FrameNotAnImage);
    EXPECT_EQ(errorOf(folder / "a.fits").detail, "There is no image with pixels in this file.");
    std::ofstream(folder / "b.fits") << "";
    EXPECT_EQ(errorOf(folder / "b.fits").subject, (folder / "b.fits").string());
}

TEST(BadFilesTest, WrongBitpix) {
    const TemporaryFolder folder;
    for (const long bits : {17L, 0L, -16L, 128L}) {
        writeCardsAsTheyAre(folder / "a.fits", imageCards(bits, 10, 10), 2880);
        EXPECT_EQ(errorOf(folder / "a.fits").id, ErrorId::FrameNotReadable) << bits;
    }
}

TEST(BadFilesTest, ANegativeOrEnormousSize) {
    const TemporaryFolder folder;
    writeCardsAsTheyAre(folder / "a.fits", imageCards(16, -5, 10), 2880);
    EXPECT_FALSE(describeFile(folder / "a.fits", {}));
    writeCardsAsTheyAre(folder / "a.fits", imageCards(16, 900000, 900000), 2880);
    EXPECT_EQ(errorOf(folder / "a.fits").id, ErrorId::FrameTruncated);
}

/// More than a hundred blocks of cards, the date in the last of them.
TEST(BadFilesTest, AVeryLongHeaderIsReadWhole) {
    const TemporaryFolder folder;
    auto cards = imageCards(16, 10, 10);
    for (int i = 0; i < 3800; ++i) {
        cards.push_back(fmt::format("HISTORY line {} of a very talkative program", i));
    }
    cards.emplace_back("DATE-OBS= '2034-03-17T21:02:11'");
    writeCardsAsTheyAre(folder / "a.fits", cards, 200);
    const auto info = describeFile(folder / "a.fits", {});
    ASSERT_TRUE(info) << info.error().detail;
    ASSERT_TRUE(info->midExposure);
    EXPECT_EQ(toIso(*info->midExposure), "2034-03-17T21:02:11.000Z");
}

TEST(BadFilesTest, FramesOfNanOnly) {
    const TemporaryFolder folder;
    const Image image(40, 30, std::numeric_limits<float>::quiet_NaN());
    ASSERT_TRUE(writeFits(folder / "a.fits", image, {}));
    const Error error = errorOf(folder / "a.fits");
    EXPECT_EQ(error.id, ErrorId::FrameNoValues);
    EXPECT_EQ(error.subject, (folder / "a.fits").string());
    EXPECT_NE(error.detail.find("the frame is left out"), std::string::npos);
}

TEST(BadFilesTest, DuplicateAndContradictoryKeywordsAreNoted) {
    const TemporaryFolder folder;
    auto cards = imageCards(16, 10, 10);
    cards.emplace_back("EXPTIME =                 60.0");
    cards.emplace_back("EXPTIME =                 30.0");
    cards.emplace_back("EXPOSURE=                 99.0");
    writeCardsAsTheyAre(folder / "a.fits", cards, 200);
    const auto info = describeFile(folder / "a.fits", {});
    ASSERT_TRUE(info);
    EXPECT_EQ(info->exposureSeconds, 30.0);
    ASSERT_EQ(info->notes.size(), 2U);
    EXPECT_NE(info->notes[0].find("EXPTIME stands twice"), std::string::npos);
    EXPECT_NE(info->notes[1].find("EXPOSURE says 99 s"), std::string::npos);
}

TEST(BadFilesTest, RubbishInCardsIsPassedOver) {
    const TemporaryFolder folder;
    auto cards = imageCards(16, 10, 10);
    cards.emplace_back("EXPTIME = sixty");
    cards.emplace_back("FILTER  = 'unclosed");
    cards.emplace_back("= no keyword");
    cards.emplace_back("DATE-OBS= '2034-13-45T99:99:99'");
    cards.emplace_back("\x01\x02\x03\xff\xfe");
    writeCardsAsTheyAre(folder / "a.fits", cards, 200);
    const auto info = describeFile(folder / "a.fits", {});
    ASSERT_TRUE(info);
    EXPECT_FALSE(info->midExposure);
    EXPECT_FALSE(info->exposureKnown);
    EXPECT_EQ(info->filter, "unclosed");
}

/// Without the rights of an administrator for the while of a test.
class AsNobody {
  public:
    AsNobody() {
        if (::geteuid() == 0) {
            changed_ = ::seteuid(65534) == 0;
        }
    }

    ~AsNobody() {
        if (changed_ && ::seteuid(0) != 0) {
            std::abort();
        }
    }

    AsNobody(const AsNobody&) = delete;
    AsNobody& operator=(const AsNobody&) = delete;

  private:
    bool changed_ = false;
};

TEST(BadFilesTest, WhatMayNotBeReadIsNamed) {
    const TemporaryFolder folder;
    const Image image(16, 16, 500.0F);
    fs::create_directory(folder / "locked");
    ASSERT_TRUE(writeFits(folder / "good.fits", image, {}));
    ASSERT_TRUE(writeFits(folder / "secret.fits", image, {}));
    ASSERT_TRUE(writeFits(folder / "locked" / "inside.fits", image, {}));
    ::chmod(folder.path().c_str(), 0755);
    ::chmod((folder / "good.fits").c_str(), 0644);
    ::chmod((folder / "secret.fits").c_str(), 0);
    ::chmod((folder / "locked").c_str(), 0);
    Result<FolderScan> scan = [&] {
        const AsNobody nobody;
        return scanFolder(folder.path(), {});
    }();
    ::chmod((folder / "locked").c_str(), 0755);
    ASSERT_TRUE(scan);
    EXPECT_EQ(scan->frames.size(), 1U);
    ASSERT_EQ(scan->failures.size(), 2U);
    std::string subjects;
    for (const Error& error : scan->failures) {
        EXPECT_EQ(error.id, ErrorId::FrameNotReadable);
        subjects += error.subject + "\n";
    }
    EXPECT_NE(subjects.find("secret.fits"), std::string::npos) << subjects;
    EXPECT_NE(subjects.find("locked"), std::string::npos) << subjects;
}

TEST(BadFilesTest, LoopsOfLinksEndAndLostLinksAreNamed) {
    const TemporaryFolder folder;
    ASSERT_TRUE(writeFits(folder / "good.fits", Image(16, 16, 500.0F), {}));
    fs::create_directory_symlink(folder.path(), folder / "again");
    fs::create_directory(folder / "deep");
    fs::create_directory_symlink(folder / "deep", folder / "deep" / "er");
    fs::create_symlink(folder / "gone.fits", folder / "lost.fits");
    fs::create_symlink(folder / "round.fits", folder / "round.fits");
    const auto scan = scanFolder(folder.path(), {});
    ASSERT_TRUE(scan);
    EXPECT_EQ(scan->frames.size(), 1U);
    ASSERT_FALSE(scan->failures.empty());
    EXPECT_EQ(scan->failures.front().detail, "This link leads nowhere; leave it out.");
}

TEST(BadFilesTest, TenThousandFilesAreGathered) {
    const TemporaryFolder folder;
    Header header;
    header.set("EXPTIME", 1.0);
    header.set("IMAGETYP", std::string("Dark"));
    ASSERT_TRUE(writeFits(folder / "0.fits", Image(16, 16, 500.0F), header, PixelType::UInt16));
    for (int i = 1; i < 10000; ++i) {
        fs::create_hard_link(folder / "0.fits", folder / fmt::format("{}.fits", i));
    }
    const auto scan = scanFolder(folder.path(), {});
    ASSERT_TRUE(scan);
    EXPECT_EQ(scan->frames.size(), 10000U);
    EXPECT_TRUE(scan->failures.empty());
}

} // namespace
} // namespace pathmark::frame
