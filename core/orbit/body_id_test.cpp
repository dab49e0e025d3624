#include "core/orbit/body_id.h"

#include <gtest/gtest.h>

namespace pathmark::orbit {
namespace {

struct Spelling {
    const char* written;
    const char* body;
};

class BodyIdTest : public testing::TestWithParam<Spelling> {};

/// Truth: the public rules for designations, case by case.
TEST_P(BodyIdTest, IsOneHoweverItIsWritten) {
    EXPECT_EQ(BodyId::of(GetParam().written).text(), GetParam().body);
    // What is normal already stays as it is.
    EXPECT_EQ(BodyId::of(GetParam().body).text(), GetParam().body);
}

INSTANTIATE_TEST_SUITE_P(Spellings,
                         BodyIdTest,
                         testing::Values(Spelling{"2711043", "(2711043)"},
                                         Spelling{"(2711043)", "(2711043)"},
                                         Spelling{"(433) Name", "(433)"},
                                         Spelling{"~8lyV", "(2711043)"},
                                         Spelling{"2034 EW2", "2034 EW2"},
                                         Spelling{"  2034   EW2 ", "2034 EW2"},
                                         Spelling{"K34E02W", "2034 EW2"},
                                         Spelling{"C/2033 T4 (Name)", "C/2033 T4"},
                                         Spelling{"C/2033 T4", "C/2033 T4"},
                                         Spelling{"CK33T040", "C/2033 T4"},
                                         Spelling{"29P/Name-Name", "29P"},
                                         Spelling{"0029P", "29P"},
                                         Spelling{"73P-C/Name", "73P-C"},
                                         Spelling{"c031701", "c031701"},
                                         Spelling{"something", "something"},
                                         Spelling{"a\nb", "a b"},
                                         Spelling{"", ""}));

TEST(BodyIdTest, DifferentBodiesDiffer) {
    EXPECT_NE(BodyId::of("2034 EW2"), BodyId::of("2034 EW21"));
    EXPECT_NE(BodyId::of("(29)"), BodyId::of("29P"));
    EXPECT_FALSE(BodyId::of("").isKnown());
}

} // namespace
} // namespace pathmark::orbit
