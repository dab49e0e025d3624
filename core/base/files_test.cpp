#include "core/base/atomic_file.h"
#include "core/base/hash.h"
#include "core/base/text.h"
#include "tests/support/temporary_folder.h"

#include <gtest/gtest.h>

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
