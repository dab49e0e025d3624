#include "core/survey/survey.h"

#include "core/survey/sky_cells.h"
#include "tests/support/matchers.h"
#include "tests/support/temporary_folder.h"

#include <gtest/gtest.h>
#include <healpix_base.h>
#include <jpeglib.h>

#include <cmath>
#include <cstdio>
#include <fstream>
#include <numbers>
#include <random>

namespace pathmark::survey {
namespace {

/// Truth: the HEALPix library's own numbers of cells, over the whole sky and at the poles.
TEST(SkyCellsTest, CellsAreThoseOfHealpix) {
    std::mt19937_64 random(7);
    std::uniform_real_distribution<double> unit(0.0, 1.0);
    constexpr int order = 16;
    const T_Healpix_Base<std::int64_t> cells(order, NEST);
    const double side = std::ldexp(1.0, order);
    int differing = 0;
    for (int i = 0; i < 200000; ++i) {
        const double z = i % 10 == 0 ? 1.0 - 1e-6 * unit(random) : 2.0 * unit(random) - 1.0;
        const double sign = i % 20 == 0 ? -1.0 : 1.0;
        const SkyPos sky{Angle::radians(2.0 * std::numbers::pi * unit(random)),
                         Angle::radians(std::asin(sign * z))};
        const FacePos pos = toFace(sky);
        const auto own = nestedCell(order,
                                    pos.face,
                                    static_cast<std::int64_t>(pos.x * side),
                                    static_cast<std::int64_t>(pos.y * side));
        const auto truth = cells.ang2pix(
            pointing(0.5 * std::numbers::pi - sky.latitude.radians(), sky.longitude.radians()));
        differing += own == truth ? 0 : 1; // on the very edge of a cell rounding decides
    }
    EXPECT_LT(differing, 4);
}

/// Truth: the galactic pole and centre as the IAU of 1958 defined them, in the ICRS (ESA SP-1200, sec. 1.5.3).
TEST(SkyCellsTest, GalacticCoordinatesAreThoseOfTheDefinition) {
    EXPECT_NEAR(galacticOf(skyDegrees(192.85948, 27.12825)).latitude.degrees(), 90.0, 1e-4);
    const SkyPos centre = galacticOf(skyDegrees(266.40510, -28.936175));
    EXPECT_NEAR(std::remainder(centre.longitude.degrees(), 360.0), 0.0, 1e-4);
    EXPECT_NEAR(centre.latitude.degrees(), 0.0, 1e-4);
}

TEST(SurveyPropertiesTest, TheyAreReadAndWhatCannotBeIsSaid) {
    const auto good =
        readProperties("# made up\nobs_title = Plates\nhips_order=9\nhips_frame = "
                       "galactic\nhips_tile_format = jpeg fits\nt_min = 33000\nt_max = 35000\n");
    ASSERT_TRUE(good) << good.error().detail;
    EXPECT_EQ(good->title, "Plates");
    EXPECT_TRUE(good->isGalactic);
    EXPECT_EQ(good->tileWidth, 512);
    EXPECT_EQ(good->epochModifiedJulian, 34000.0);
    EXPECT_NEAR(good->pixelArcsec(), 0.805, 0.001); // 58.6 degrees / 2^(9 + 9)
    for (const char* wrong : {"",
                              "<html>",
                              "hips_order = x\nhips_tile_format = fits",
                              "hips_order = 99\nhips_tile_format = fits",
                              "hips_order = 9\nhips_tile_format = gif",
                              "hips_order = 9\nhips_tile_format = fits\nhips_tile_width = 500",
                              "hips_order = 9\nhips_tile_format = fits\nhips_frame = ecliptic"}) {
        const auto read = readProperties(wrong);
        ASSERT_FALSE(read) << wrong;
        EXPECT_EQ(read.error().id, ErrorId::CatalogBadSurvey);
    }
}

/// Truth: what libjpeg wrote.
TEST(TileFileTest, AJpegStandsWithItsLastRowAtTheBottom) {
    const test_support::TemporaryFolder folder;
    const auto path = folder / "t.jpg";
    constexpr unsigned side = 64;
    {
        std::FILE* file = std::fopen(path.c_str(), "wb");
        jpeg_compress_struct info;
        jpeg_error_mgr errors;
        info.err = jpeg_std_error(&errors);
        jpeg_create_compress(&info);
        jpeg_stdio_dest(&info, file);
        info.image_width = info.image_height = side;
        info.input_components = 1;
        info.in_color_space = JCS_GRAYSCALE;
        jpeg_set_defaults(&info);
        jpeg_set_quality(&info, 100, TRUE);
        jpeg_start_compress(&info, TRUE);
        for (unsigned y = 0; y < side; ++y) {
            std::vector<JSAMPLE> row(side, static_cast<JSAMPLE>(3 * y));
            JSAMPROW at = row.data();
            jpeg_write_scanlines(&info, &at, 1);
        }
        jpeg_finish_compress(&info);
        jpeg_destroy_compress(&info);
        std::fclose(file);
    }
    const auto image = readTile(path, TileFormat::Jpeg);
    ASSERT_TRUE(image);
    EXPECT_NEAR(image->at(10, 0), 3.0F * 63, 2.0F);
    EXPECT_NEAR(image->at(10, 63), 0.0F, 2.0F);
    std::filesystem::resize_file(path, 300);
    EXPECT_FALSE(readTile(path, TileFormat::Jpeg));
    EXPECT_FALSE(readTile(path, TileFormat::Png));
    EXPECT_FALSE(readTile(folder / "none.fits", TileFormat::Fits));
}

} // namespace
} // namespace pathmark::survey
