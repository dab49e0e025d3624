#include "core/catalog/store_writer.h"
#include "core/night/light_sources.h"
#include "core/night/night_file.h"
#include "core/night/star_sources.h"
#include "tests/support/temporary_folder.h"

#include <gtest/gtest.h>

#include <cmath>

namespace pathmark::night {
namespace {

using test_support::TemporaryFolder;

frame::Wcs northUp(double scaleArcsec) {
    frame::Wcs wcs;
    wcs.referenceSky = skyDegrees(150.0, 20.0);
    wcs.referencePixel = {99.5, 99.5};
    const double s = scaleArcsec * kRadiansPerArcsec;
    wcs.cd = {-s, 0.0, 0.0, s};
    return wcs;
}

std::vector<SourceRecord> someSources() {
    return {{{12.25, 4000.125}, 0.125, 1500.0, 37.5, detect::kBlended | detect::kEdge, false},
            {{0.0, 99.5}, 0.5, 80.0, 5.0, 0, false}};
}

/// There and back; the values are ones that a float holds exactly.
TEST(SourceRecordsTest, ComeBackFromTheirBytes) {
    const std::string bytes = packSources(someSources());
    EXPECT_EQ(bytes.size(), 64U);
    const auto again = unpackSources(bytes);
    ASSERT_EQ(again.size(), 2U);
    EXPECT_EQ(again[0].pixel.x, 12.25);
    EXPECT_EQ(again[0].pixel.y, 4000.125);
    EXPECT_EQ(again[0].sigmaPixels, 0.125);
    EXPECT_EQ(again[0].flux, 1500.0);
    EXPECT_EQ(again[0].snr, 37.5);
    EXPECT_EQ(again[0].flags, detect::kBlended | detect::kEdge);
    auto marked = again;
    markStars(marked, packStars(std::vector<std::size_t>{1}, marked.size()));
    EXPECT_FALSE(marked[0].isStar);
    EXPECT_TRUE(marked[1].isStar);
    markStars(marked, "of another length");
    EXPECT_TRUE(marked[1].isStar);
    EXPECT_EQ(again[1].flags, 0U);
    EXPECT_TRUE(unpackSources({}).empty());
    EXPECT_TRUE(unpackSources(std::string_view(bytes).substr(1)).empty()) << "cut off";
}

TEST(NightFileTest, KeepsTheSourcesOfEachLight) {
    const TemporaryFolder folder;
    auto file = NightFile::open(folder / "n.pmnight");
    ASSERT_TRUE(file);
    Product sources;
    sources.key = "sources of a";
    sources.kind = ProductKind::Sources;
    sources.packed = packSources(someSources());
    Product stars;
    stars.key = "stars of a";
    stars.kind = ProductKind::ZeroPoint;
    stars.packed = packStars(std::vector<std::size_t>{0}, 2);
    ASSERT_TRUE(file->putProducts(std::vector{sources, stars}));
    LightRecord light;
    EXPECT_TRUE(file->sources(light).value().empty());
    light.keys.sources = sources.key;
    EXPECT_EQ(file->sources(light).value().size(), 2U);
    EXPECT_FALSE(file->sources(light).value()[0].isStar) << "not solved yet";
    light.keys.zeroPoint = stars.key;
    EXPECT_TRUE(file->sources(light).value()[0].isStar);
    EXPECT_FALSE(file->sources(light).value()[1].isStar);
}

/// Truth: 2" per pixel; a place's own 0.3 px and the solution's 0.4 px add up to 0.5 px.
TEST(SourcesOnSkyTest, HaveTheSolutionsErrorToo) {
    LightRecord light;
    light.wcs = northUp(2.0);
    light.width = light.height = 200;
    light.solutionErrorPixels = 0.4;
    const auto sky =
        sourcesOnSky(light, std::vector<SourceRecord>{{{99.5, 109.5}, 0.3, 100.0, 8.0, 0, true}});
    ASSERT_EQ(sky.size(), 1U);
    EXPECT_NEAR(sky[0].sigmaArcsec, 1.0, 1e-9);
    EXPECT_TRUE(sky[0].isStar);
    EXPECT_NEAR((sky[0].sky.latitude.degrees() - 20.0) * 3600.0, 20.0, 1e-3);
    EXPECT_NEAR(squareArcsecOf(light), 400.0 * 400.0, 1e-6);
}

/// Truth: the fluxes that the magnitudes stand for, by Pogson's law, put in by hand. Zero point 25 and 100 s: magnitude 20 is
/// 10 000 electrons.
class StarSourcesTest : public testing::Test {
  protected:
    void SetUp() override {
        const auto put = [&](double x, double y, double magnitude) {
            const SkyPos sky = wcs.toSky({x, y});
            catalog::StarRow row;
            row.sourceId = static_cast<std::int64_t>(rows.size()) + 1;
            row.raDegrees = sky.longitude.degrees();
            row.decDegrees = sky.latitude.degrees();
            row.magG = static_cast<float>(magnitude);
            rows.push_back(row);
        };
        put(50.0, 50.0, 20.0);
        put(120.0, 120.0, 20.75); // a pair, each half as bright
        put(122.0, 120.0, 20.75);
        put(20.0, 150.0, 23.0); // far fainter than what stands beside it
        ASSERT_TRUE(catalog::writeStore(folder.path(), "made", rows));
        photometry.band = catalog::Band::G;
        photometry.zeroPoint = 25.0;
        solution.wcs = wcs;
    }

    [[nodiscard]] std::vector<std::size_t> explained(double x, double y, double flux) {
        detect::Detection detection{
            detect::Background(frame::Image(64, 64, 100.0F)),
            detect::PointSpreadField(
                {detect::MoffatForm::of(detect::Moffat::round(2.5, 3.0)), 0.0, 0.0, 1, 1, {}}),
            {},
            2.5,
            1.0};
        detect::Source source;
        source.x = x;
        source.y = y;
        source.flux = flux;
        detection.sources.push_back(source);
        const auto store = catalog::StarStore::open(folder.path(), "made");
        EXPECT_TRUE(store);
        return sourcesOnStars(detection,
                              solution,
                              photometry,
                              100.0,
                              *parseUtc("2016-01-01T00:00:00"),
                              {200, 200},
                              *store);
    }

    TemporaryFolder folder;
    frame::Wcs wcs = northUp(1.0);
    std::vector<catalog::StarRow> rows;
    solve::PhotometricMatch photometry;
    solve::Solution solution;
};

TEST_F(StarSourcesTest, LightThatStarsExplainIsNoBodys) {
    EXPECT_EQ(explained(51.0, 50.5, 10000.0).size(), 1U);
    EXPECT_EQ(explained(121.0, 120.0, 10000.0).size(), 1U) << "the two together";
}

TEST_F(StarSourcesTest, WhatIsFarBrighterThanTheStarBesideItIsNotExplained) {
    EXPECT_TRUE(explained(20.5, 150.0, 10000.0).empty());
    EXPECT_TRUE(explained(51.0, 50.5, 90000.0).empty());
}

TEST_F(StarSourcesTest, WhereNoStarIsThereIsNone) {
    EXPECT_TRUE(explained(80.0, 30.0, 10000.0).empty());
    EXPECT_TRUE(explained(50.0, 58.0, 10000.0).empty()) << "three FWHM away";
}

} // namespace
} // namespace pathmark::night
