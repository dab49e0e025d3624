#include "core/base/file_memory.h"

#include "tests/support/temporary_folder.h"

#include <gtest/gtest.h>

#include <numeric>

namespace pathmark {
namespace {

namespace fs = std::filesystem;

TEST(LargeArrayTest, InAFileItHoldsWhatItHoldsInMemory) {
    const test_support::TemporaryFolder folder;
    for (const fs::path& place : {fs::path(), folder.path()}) {
        LargeArray<std::int16_t> array;
        array.assign(100000, place);
        EXPECT_EQ(std::accumulate(array.begin(), array.end(), 0), 0);
        std::iota(array.begin(), array.end(), std::int16_t{-3});
        LargeArray<std::int16_t> copy = array;
        array[5] = 77;
        EXPECT_EQ(copy[5], 2);
        EXPECT_EQ(array[5], 77);
        const LargeArray<std::int16_t> moved = std::move(array);
        EXPECT_EQ(moved[5], 77);
        EXPECT_EQ(moved.size(), 100000U);
        EXPECT_TRUE(fs::is_empty(folder.path())) << "the file has no name";
    }
}

TEST(LargeArrayTest, WhereThereIsNoRoomItSaysSo) {
    LargeArray<std::int16_t> array;
    EXPECT_THROW(array.assign(10, "/nowhere/at/all"), std::bad_alloc);
    const test_support::TemporaryFolder folder;
    EXPECT_THROW(array.assign(std::size_t{1} << 55U, folder.path()), std::bad_alloc);
}

} // namespace
} // namespace pathmark
