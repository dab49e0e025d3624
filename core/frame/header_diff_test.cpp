#include "core/frame/header_diff.h"

#include <gtest/gtest.h>

namespace pathmark::frame {
namespace {

TEST(SharedValuesTest, TheCommonestComesFirstAndTheOthersSayWhichDiffer) {
    std::vector<Header> headers(4);
    for (auto& header : headers) {
        header.set("EXPTIME", 60.0);
    }
    headers[2].set("EXPTIME", 30.0);
    headers[1].set("FILTER", std::string("R"));
    const auto lines = compareHeaders(headers);
    ASSERT_EQ(lines.size(), 2U);
    const auto exposures = sharedValues(lines[0]);
    ASSERT_EQ(exposures.size(), 2U);
    EXPECT_EQ(exposures[0].headers, (std::vector<std::size_t>{0, 1, 3}));
    EXPECT_EQ(exposures[1].headers, (std::vector<std::size_t>{2}));
    const auto filters = sharedValues(lines[1]);
    EXPECT_EQ(filters[0].value, "");
    EXPECT_EQ(filters[1].headers, (std::vector<std::size_t>{1}));
}

} // namespace
} // namespace pathmark::frame
