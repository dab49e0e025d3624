#include "core/catalog/field_pieces.h"

#include "core/catalog/star_store.h"
#include "standin/catalog_service.h"
#include "tests/support/matchers.h"
#include "tests/support/temporary_folder.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <fstream>

namespace pathmark::standin {
namespace {

/// A sky with a star every 0.02 degrees, some of them faint.
class FieldPiecesTest : public testing::Test {
  protected:
    void SetUp() override {
        std::ofstream csv(folder_ / "stars.csv");
        csv << "source_id,ra,dec,phot_g_mean_mag\n";
        int id = 0;
        for (int i = -100; i <= 100; ++i) {
            for (int k = -100; k <= 100; ++k) {
                csv << fmt::format("{},{:.4f},{:.4f},{}\n",
                                   ++id,
                                   80.0 + 0.02 * i,
                                   10.0 + 0.02 * k,
                                   (i + k) % 2 == 0 ? 14 : 19);
            }
        }
    }

    [[nodiscard]] CatalogService service(Fault fault = Fault::None,
                                         std::size_t most = 1'000'000) const {
        ServiceOptions options;
        options.stars = folder_ / "stars.csv";
        options.fault = fault;
        options.most = most;
        return CatalogService(options);
    }

    [[nodiscard]] catalog::FieldStore store(const CatalogService& from) const {
        return {from.address() + "/tap", folder_ / "store", "fetched", 5.0, 1};
    }

    /// Stars within a circle, as the store has them.
    [[nodiscard]] std::size_t starsWithin(double degrees) const {
        const auto opened = catalog::StarStore::open(folder_ / "store", "fetched");
        const SkyPos middle = skyDegrees(80.0, 10.0);
        const auto stars = opened->field(middle, Angle::degrees(degrees), Utc::julian(2457389.0));
        // A store gives a little more than the circle.
        const auto isInside = [&](const catalog::Star& star) {
            return separation(middle, star.place).degrees() <= degrees;
        };
        return stars
                   ? static_cast<std::size_t>(std::count_if(stars->begin(), stars->end(), isInside))
                   : 0;
    }

    /// Truth: counted on the grid that was written.
    [[nodiscard]] static std::size_t onGrid(double degrees, int parity) {
        std::size_t count = 0;
        for (int i = -100; i <= 100; ++i) {
            for (int k = -100; k <= 100; ++k) {
                const double apart =
                    separation(skyDegrees(80.0, 10.0), skyDegrees(80.0 + 0.02 * i, 10.0 + 0.02 * k))
                        .degrees();
                count += apart <= degrees && (parity < 0 || (i + k) % 2 == parity) ? 1 : 0;
            }
        }
        return count;
    }

    catalog::WantedField field_{skyDegrees(80.0, 10.0), Angle::degrees(0.45)};
    test_support::TemporaryFolder folder_;
};

TEST_F(FieldPiecesTest, EveryStarOfTheFieldIsThereAndNothingIsAskedTwice) {
    const CatalogService from = service();
    EXPECT_FALSE(catalog::holdsField(store(from), field_));
    const auto first = catalog::fetchPieces(store(from), field_, {});
    ASSERT_TRUE(first) << first.error().detail;
    EXPECT_GT(first->pieces, 3);
    EXPECT_EQ(from.requests(), first->pieces);
    EXPECT_EQ(starsWithin(0.45), onGrid(0.45, -1));
    EXPECT_TRUE(catalog::holdsField(store(from), field_));
    // A field beside it asks for the rest only.
    const auto beside =
        catalog::fetchPieces(store(from), {skyDegrees(80.3, 10.0), Angle::degrees(0.45)}, {});
    ASSERT_TRUE(beside);
    EXPECT_GT(beside->fetched, 0);
    EXPECT_LT(beside->fetched, beside->pieces);
    EXPECT_GT(beside->stars, first->stars);
}

TEST_F(FieldPiecesTest, AShallowFieldIsMadeDeeper) {
    const CatalogService from = service();
    auto shallow = field_;
    shallow.faintestG = 15.0;
    ASSERT_TRUE(catalog::fetchPieces(store(from), shallow, {}));
    EXPECT_EQ(starsWithin(0.45), onGrid(0.45, 0));
    EXPECT_FALSE(catalog::holdsField(store(from), field_));
    ASSERT_TRUE(catalog::fetchPieces(store(from), field_, {}));
    EXPECT_EQ(starsWithin(0.45), onGrid(0.45, -1));
    EXPECT_TRUE(catalog::holdsField(store(from), shallow));
}

TEST_F(FieldPiecesTest, AServiceThatSendsOnlySomeAtOnceIsAskedForLess) {
    const CatalogService from = service(Fault::None, 60);
    const auto fetched = catalog::fetchPieces(store(from), field_, {});
    ASSERT_TRUE(fetched) << fetched.error().detail;
    EXPECT_GT(from.requests(), fetched->pieces);
    EXPECT_EQ(starsWithin(0.45), onGrid(0.45, -1));
    EXPECT_TRUE(catalog::holdsField(store(from), field_));
}

TEST_F(FieldPiecesTest, WhatCameBeforeTheServiceFailedIsKept) {
    int pieces = 0;
    {
        const CatalogService good = service();
        auto small = field_;
        small.radius = Angle::degrees(0.05);
        pieces = catalog::fetchPieces(store(good), small, {})->pieces;
    }
    for (const Fault fault : {Fault::Rubbish, Fault::Broken, Fault::Closes, Fault::Web}) {
        const CatalogService bad = service(fault);
        const auto failed = catalog::fetchPieces(store(bad), field_, {});
        ASSERT_FALSE(failed);
        EXPECT_EQ(bad.requests(), 1) << "the next piece would fare no better";
        EXPECT_EQ(starsWithin(0.05), onGrid(0.05, -1));
    }
    const CatalogService good = service();
    const auto rest = catalog::fetchPieces(store(good), field_, {});
    ASSERT_TRUE(rest);
    EXPECT_EQ(rest->fetched, rest->pieces - pieces);
    EXPECT_EQ(starsWithin(0.45), onGrid(0.45, -1));
}

} // namespace
} // namespace pathmark::standin
