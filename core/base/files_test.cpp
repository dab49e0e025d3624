#include "core/base/atomic_file.h"
#include "core/base/hash.h"
#include "core/base/text.h"
#include "core/base/whole_file.h"
#include "tests/support/temporary_folder.h"

#include <gtest/gtest.h>
#include <zlib.h>

#include <cerrno>
#include <fstream>
#include <iterator>

namespace pathmark {
namespace {

using test_support::TemporaryFolder;

std::string contentOf(const std::filesystem::path& path) {
    std::ifstream stream(path);
    return {std::istreambuf_iterator<char>(stream), {}};
}

std::size_t filesIn(const std::filesystem::path& folder) {
    const std::filesystem::directory_iterator entries(folder);
    return static_cast<std::size_t>(std::distance(begin(entries), end(entries)));
}

TEST(WriteWholeTest, AFailedWriteLeavesTheOldFileAndNothingElse) {
    const TemporaryFolder folder;
    const auto path = folder / "report.psv";
    ASSERT_TRUE(writeWholeText(path, "old"));
    const auto written =
        writeWhole(path, [](const std::filesystem::path& temporary) -> Result<bool> {
            std::ofstream(temporary) << "half";
            return fail(writeError(ENOSPC, temporary));
        });
    ASSERT_FALSE(written);
    EXPECT_EQ(written.error().id, ErrorId::BaseDiskFull);
    EXPECT_EQ(written.error().subject, path.string());
    EXPECT_EQ(contentOf(path), "old");
    EXPECT_EQ(filesIn(folder.path()), 1U);
}

TEST(WriteWholeTest, AMissingFolderIsNamed) {
    const TemporaryFolder folder;
    const auto path = folder / "missing";
    const auto written = writeWholeText(path / "a.txt", "x");
    ASSERT_FALSE(written);
    EXPECT_EQ(written.error().id, ErrorId::BaseCannotWrite);
    EXPECT_EQ(written.error().subject, (path / "a.txt").string());
}

TEST(WriteWholeTest, ANameThatIsTooLongIsSaidToBe) {
    const TemporaryFolder folder;
    const auto written = writeWholeText(folder / std::string(850, 'n'), "x");
    ASSERT_FALSE(written);
    EXPECT_NE(written.error().detail.find("longer than this file system allows"), std::string::npos)
        << written.error().detail;
}

/// Zeros that fill a memory come packed to a thousandth; a list that is as long as its packing allows is read.
TEST(WholeFileTest, WhatUnpacksWithoutEndIsRefused) {
    const TemporaryFolder folder;
    const auto pack = [&](const char* name, std::size_t megabytes, bool isNoise) {
        const auto path = folder / name;
        std::string block(std::size_t{1} << 20U, '\0');
        for (std::size_t k = 0; isNoise && k < block.size(); ++k) {
            block[k] = static_cast<char>("0123456789abcdef"[(k * 2654435761U >> 7U) % 16U]);
        }
        gzFile file = gzopen(path.c_str(), "wb1");
        for (std::size_t k = 0; k < megabytes; ++k) {
            gzwrite(file, block.data(), static_cast<unsigned>(block.size()));
        }
        gzclose(file);
        return path;
    };
    EXPECT_FALSE(readWholeFile(pack("bomb.gz", 300, false)));
    const auto honest = readWholeFile(pack("list.gz", 20, true));
    ASSERT_TRUE(honest);
    EXPECT_EQ(honest->size(), std::size_t{20} << 20U);
}

TEST(DigestTest, BoundariesAndOrderCount) {
    EXPECT_NE(Digest().add("ab").add("c").hex(), Digest().add("a").add("bc").hex());
    EXPECT_NE(Digest().add("a").add("b").hex(), Digest().add("b").add("a").hex());
    EXPECT_EQ(Digest().add(1.5).hex(), Digest().add(1.5).hex());
}

TEST(NearestWordTest, FindsTheKeyThatWasMeant) {
    EXPECT_EQ(nearestWord("gian_e_per_adu", {"saturation_adu", "gain_e_per_adu", "read_noise_e"}),
              "gain_e_per_adu");
}

/// Every id has its entry in the document that observers are pointed to.
TEST(ErrorDocumentTest, NamesEveryId) {
    const std::string document =
        contentOf(std::filesystem::path(PATHMARK_SOURCE_DIR) / "docs" / "errors.md");
    for (const ErrorId id : allErrorIds()) {
        EXPECT_NE(document.find("`" + std::string(name(id)) + "`"), std::string::npos) << name(id);
    }
}

} // namespace
} // namespace pathmark
