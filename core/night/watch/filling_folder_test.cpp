#include "core/night/watch/filling_folder.h"

#include "core/frame/fits_file.h"
#include "tests/support/matchers.h"
#include "tests/support/temporary_folder.h"

#include <gtest/gtest.h>

#include <fstream>
#include <iterator>
#include <memory>

namespace pathmark::night {
namespace {

namespace fs = std::filesystem;

/// A camera's program, writing into a folder that is watched. Nothing settles here within the test's time: what counts is what the file
/// system says.
class FillingFolderTest : public testing::Test {
  protected:
    void SetUp() override {
        fs::create_directories(place());
        frame::Header header;
        header.set("EXPTIME", 10.0, "s");
        ASSERT_TRUE(frame::writeFits(folder_ / "made.fits", frame::Image(64, 48, 3.0F), header));
        std::ifstream stream(folder_ / "made.fits", std::ios::binary);
        content_.assign(std::istreambuf_iterator<char>(stream), {});
        filling_ = std::make_unique<FillingFolder>(std::vector{place()}, 3600.0);
    }

    [[nodiscard]] fs::path place() const { return folder_ / "night"; }

    void write(const fs::path& path, std::size_t bytes) const {
        std::ofstream(path, std::ios::binary | std::ios::app)
            << content_.substr(fs::exists(path) ? fs::file_size(path) : 0).substr(0, bytes);
    }

    test_support::TemporaryFolder folder_;
    std::string content_;
    std::unique_ptr<FillingFolder> filling_;
};

TEST_F(FillingFolderTest, AFrameCountsWhenItIsClosedOrRenamedIntoPlace) {
    EXPECT_TRUE(filling_->whole().empty());
    write(place() / "a.fits", content_.size());
    EXPECT_EQ(filling_->whole(), std::vector{place() / "a.fits"});
    write(place() / "b.part", content_.size());
    EXPECT_EQ(filling_->whole().size(), 1U);
    fs::rename(place() / "b.part", place() / "b.fits");
    EXPECT_EQ(filling_->whole().size(), 2U);
    // A folder that is made later is watched too.
    fs::create_directories(place() / "west");
    EXPECT_EQ(filling_->whole().size(), 2U);
    write(place() / "west" / "c.fits", content_.size());
    EXPECT_EQ(filling_->whole().size(), 3U);
}

TEST_F(FillingFolderTest, AFileThatIsCutShortDoesNotCountBeforeItsRestCame) {
    write(place() / "a.fits", content_.size() / 2);
    EXPECT_TRUE(filling_->whole().empty()) << "it was closed, and its header promises more";
    EXPECT_TRUE(filling_->whole().empty());
    write(place() / "a.fits", content_.size());
    EXPECT_EQ(filling_->whole().size(), 1U);
}

TEST_F(FillingFolderTest, WhatLayThereBeforeCountsAtOnceAndWhatGoesIsGone) {
    write(place() / "old.fits", content_.size());
    fs::last_write_time(place() / "old.fits",
                        fs::file_time_type::clock::now() - std::chrono::hours(48));
    FillingFolder later({place()}, 60.0);
    EXPECT_EQ(later.whole().size(), 1U);
    fs::remove(place() / "old.fits");
    EXPECT_TRUE(later.whole().empty());
    EXPECT_TRUE(later.isThere());
    fs::rename(place(), folder_ / "away");
    EXPECT_FALSE(later.isThere());
}

} // namespace
} // namespace pathmark::night
