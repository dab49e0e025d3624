#include "core/night/decisions.h"

#include <gtest/gtest.h>

#include <utility>

namespace pathmark::night {
namespace {

/// Every kind of decision, as it is before anything is set.
template <std::size_t... I>
std::vector<Decision> oneOfEach(std::index_sequence<I...> /*all*/) {
    return {Decision(std::in_place_index<I>)...};
}

/// A decision is worth nothing until it is stored: each kind has a word of its own, and comes back as that kind.
TEST(DecisionsTest, EveryKindIsStoredAndComesBack) {
    const auto all = oneOfEach(std::make_index_sequence<std::variant_size_v<Decision>>());
    const auto back = decisionsFrom(toText(all));
    ASSERT_EQ(back.size(), all.size());
    for (std::size_t i = 0; i < all.size(); ++i) {
        EXPECT_EQ(back[i].index(), i);
    }
}

TEST(DecisionsTest, SweepsOfASeriesAreKeptOnceEachAndTakenBackOneByOne) {
    const SeriesId series = SeriesId("series");
    const SweepWish slow{0.1, 1.0, 90.0, 270.0, 0.1, 3};
    const SweepWish fast{1.0, 6.0, {}, {}, 1.0, 4};
    Decided decided;
    for (const Decision& one : decisionsFrom(toText({SweepSeries{series, slow, true},
                                                     SweepSeries{series, fast, true},
                                                     SweepSeries{series, slow, true}}))) {
        decided.apply(one);
    }
    ASSERT_EQ(decided.sweeps.at(series).size(), 2U);
    EXPECT_EQ(decided.sweeps.at(series).front(), fast);
    EXPECT_EQ(decided.sweeps.at(series).back(), slow);
    decided.apply(SweepSeries{series, fast, false});
    decided.apply(SweepSeries{series, slow, false});
    EXPECT_FALSE(decided.sweeps.contains(series));
}

} // namespace
} // namespace pathmark::night
