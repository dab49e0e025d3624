#include "core/picture/picture_file.h"

#include "tests/support/temporary_folder.h"

#include <fitsio.h>
#include <gtest/gtest.h>
#include <lcms2.h>
#include <png.h>
#include <tiffio.h>

#include <array>
#include <cmath>
#include <cstdio>
#include <vector>

namespace pathmark::picture {
namespace {

using test_support::TemporaryFolder;

constexpr int kWidth = 30;
constexpr int kHeight = 20;

/// Red grows to the right, green upwards, blue is an eighth.
ColourPicture ramps() {
    ColourPicture picture;
    for (auto& plane : picture.planes) {
        plane = frame::Image(kWidth, kHeight, 0.125F);
    }
    for (int y = 0; y < kHeight; ++y) {
        for (int x = 0; x < kWidth; ++x) {
            picture.planes[0].at(x, y) = static_cast<float>(x) / (kWidth - 1);
            picture.planes[1].at(x, y) = static_cast<float>(y) / (kHeight - 1);
        }
    }
    return picture;
}

PictureNote note() {
    PictureNote made;
    made.object = "2031 AB1";
    made.time = "2031-01-02T03:04:05.000Z";
    made.filters = "red R, green V, blue B";
    made.wcs.referenceSky = skyDegrees(120.0, 10.0);
    made.wcs.referencePixel = {14.0, 9.0};
    const double s = Angle::arcsec(2.0).radians();
    made.wcs.cd = {-s, 0.0, 0.0, s};
    return made;
}

std::uint16_t of16(float brightness) {
    return static_cast<std::uint16_t>(std::lround(65535.0F * brightness));
}

/// A profile as another library reads it: one of a screen's colour space.
void expectScreenProfile(const void* bytes, std::uint32_t size) {
    cmsHPROFILE profile = cmsOpenProfileFromMem(bytes, size);
    ASSERT_NE(profile, nullptr);
    EXPECT_EQ(cmsGetColorSpace(profile), cmsSigRgbData);
    cmsCloseProfile(profile);
}

/// Truth: what libpng reads back, the top row first.
TEST(PictureFileTest, PngHas16BitsProfileAndNote) {
    const TemporaryFolder folder;
    const auto path = folder / "a.png";
    ASSERT_TRUE(writePicture(path, ramps(), ramps(), note()));
    std::FILE* file = std::fopen(path.c_str(), "rb");
    ASSERT_NE(file, nullptr);
    png_structp png = png_create_read_struct(PNG_LIBPNG_VER_STRING, nullptr, nullptr, nullptr);
    png_infop info = png_create_info_struct(png);
    png_init_io(png, file);
    png_read_info(png, info);
    EXPECT_EQ(png_get_image_width(png, info), static_cast<png_uint_32>(kWidth));
    EXPECT_EQ(png_get_image_height(png, info), static_cast<png_uint_32>(kHeight));
    EXPECT_EQ(png_get_bit_depth(png, info), 16);
    EXPECT_EQ(png_get_color_type(png, info), PNG_COLOR_TYPE_RGB);
    png_charp name = nullptr;
    png_bytep profile = nullptr;
    png_uint_32 size = 0;
    int compression = 0;
    ASSERT_NE(png_get_iCCP(png, info, &name, &compression, &profile, &size), 0U);
    expectScreenProfile(profile, size);
    png_textp texts = nullptr;
    int count = 0;
    png_get_text(png, info, &texts, &count);
    ASSERT_GE(count, 1);
    EXPECT_NE(std::string(texts[0].text).find("2031 AB1"), std::string::npos);
    png_set_swap(png);
    std::vector<std::uint16_t> row(3 * kWidth);
    png_read_row(png, reinterpret_cast<png_bytep>(row.data()), nullptr);
    EXPECT_EQ(row[3 * 10], of16(10.0F / (kWidth - 1)));
    EXPECT_EQ(row[3 * 10 + 1], 65535); // the top row
    EXPECT_EQ(row[3 * 10 + 2], of16(0.125F));
    png_destroy_read_struct(&png, &info, nullptr);
    std::fclose(file);
}

/// Truth: what libtiff reads back.
TEST(PictureFileTest, TiffHas16BitsProfileAndNote) {
    const TemporaryFolder folder;
    const auto path = folder / "a.tif";
    ASSERT_TRUE(writePicture(path, ramps(), ramps(), note()));
    TIFF* file = TIFFOpen(path.c_str(), "r");
    ASSERT_NE(file, nullptr);
    std::uint16_t bits = 0;
    std::uint16_t samples = 0;
    TIFFGetField(file, TIFFTAG_BITSPERSAMPLE, &bits);
    TIFFGetField(file, TIFFTAG_SAMPLESPERPIXEL, &samples);
    EXPECT_EQ(bits, 16);
    EXPECT_EQ(samples, 3);
    std::uint32_t size = 0;
    void* profile = nullptr;
    ASSERT_EQ(TIFFGetField(file, TIFFTAG_ICCPROFILE, &size, &profile), 1);
    expectScreenProfile(profile, size);
    char* description = nullptr;
    TIFFGetField(file, TIFFTAG_IMAGEDESCRIPTION, &description);
    EXPECT_NE(std::string(description).find("2.000 arcsec per pixel"), std::string::npos);
    std::vector<std::uint16_t> row(3 * kWidth);
    for (std::uint32_t y = 0; y < kHeight; ++y) { // packed rows are read one after the other
        ASSERT_EQ(TIFFReadScanline(file, row.data(), y, 0), 1);
    }
    EXPECT_EQ(row[3 * 29], 65535);
    EXPECT_EQ(row[3 * 29 + 1], 0); // the bottom row
    TIFFClose(file);
}

/// Truth: what cfitsio reads back; linear planes first, then what a screen shows.
TEST(PictureFileTest, FitsHasLinearPlanesWithTheirPlaceAndTheStretchedOnes) {
    const TemporaryFolder folder;
    const auto path = folder / "a.fits";
    ColourPicture linear = ramps();
    linear.planes[2].at(3, 4) = 12345.5F;
    ASSERT_TRUE(writePicture(path, linear, ramps(), note()));
    fitsfile* file = nullptr;
    int status = 0;
    fits_open_diskfile(&file, path.c_str(), READONLY, &status);
    std::array<long, 3> sizes{};
    fits_get_img_size(file, 3, sizes.data(), &status);
    EXPECT_EQ(sizes[0], kWidth);
    EXPECT_EQ(sizes[1], kHeight);
    EXPECT_EQ(sizes[2], 3);
    double value = 0.0;
    fits_read_key(file, TDOUBLE, "CRVAL1", &value, nullptr, &status);
    EXPECT_DOUBLE_EQ(value, 120.0);
    std::array<long, 3> first{4, 5, 3};
    float pixel = 0.0F;
    fits_read_pix(file, TFLOAT, first.data(), 1, nullptr, &pixel, nullptr, &status);
    EXPECT_EQ(pixel, 12345.5F);
    fits_movnam_hdu(file, IMAGE_HDU, const_cast<char*>("STRETCHED"), 0, &status);
    fits_read_pix(file, TFLOAT, first.data(), 1, nullptr, &pixel, nullptr, &status);
    EXPECT_EQ(pixel, 0.125F);
    fits_close_file(file, &status);
    EXPECT_EQ(status, 0);
}

TEST(PictureFileTest, EndingsAreKnown) {
    for (const char* name : {"a.png", "a.PNG", "a.tif", "a.tiff", "a.fits", "a.fit"}) {
        EXPECT_TRUE(isPictureName(name)) << name;
    }
    EXPECT_FALSE(isPictureName("a.jpg"));
    EXPECT_FALSE(isPictureName("png"));
}

TEST(PictureFileTest, AFolderThatIsNotThereIsSaid) {
    const TemporaryFolder folder;
    const auto written = writePicture(folder / "no" / "a.png", ramps(), ramps(), note());
    ASSERT_FALSE(written);
    EXPECT_EQ(written.error().id, ErrorId::BaseCannotWrite);
}

} // namespace
} // namespace pathmark::picture
