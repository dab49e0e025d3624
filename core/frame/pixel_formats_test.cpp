#include "core/frame/fits_pixels.h"
#include "core/frame/folder_scan.h"
#include "core/frame/open_frame.h"
#include "core/frame/pixel_kind.h"
#include "core/frame/row_series.h"
#include "tests/support/temporary_folder.h"

#include <fitsio.h>
#include <gtest/gtest.h>
#include <tiffio.h>
#include <zlib.h>

#include <cmath>
#include <cstdint>
#include <cstring>
#include <fstream>
#include <random>

namespace pathmark::frame {
namespace {

using test_support::TemporaryFolder;
namespace fs = std::filesystem;

struct Stored {
    int bitpix;
    double scale;
    double zero;
    bool blank;
};

class PixelTypeTest : public testing::TestWithParam<Stored> {};

INSTANTIATE_TEST_SUITE_P(All,
                         PixelTypeTest,
                         testing::Values(Stored{8, 1.0, 0.0, false},
                                         Stored{8, 0.5, -3.0, true},
                                         Stored{16, 1.0, 0.0, false},
                                         Stored{16, 1.0, 32768.0, false},
                                         Stored{16, 0.25, 100.0, false},
                                         Stored{16, 1.0, 0.0, true},
                                         Stored{32, 1.0, 0.0, false},
                                         Stored{32, 1.0, 2147483648.0, false},
                                         Stored{32, 1e-3, 5.0, true},
                                         Stored{64, 1.0, 0.0, false},
                                         Stored{64, 2.0, 1.0, true},
                                         Stored{-32, 1.0, 0.0, false},
                                         Stored{-32, 2.0, 10.0, false},
                                         Stored{-64, 1.0, 0.0, false},
                                         Stored{-64, 3.0, -1.0, false}));

/// Writes random bits as pixels of one type; integers of every size, floats without NaN among them.
void writeStored(const fs::path& path, const Stored& stored, long width, long height) {
    fitsfile* file = nullptr;
    int status = 0;
    std::array<long, 2> sizes{width, height};
    fits_create_diskfile(&file, path.c_str(), &status);
    fits_create_img(file, stored.bitpix, 2, sizes.data(), &status);
    std::mt19937_64 random(static_cast<std::uint64_t>(stored.bitpix + 100));
    // Raw values first, so that scaling keywords do not touch what is written.
    std::vector<double> values(static_cast<std::size_t>(width * height));
    std::vector<long long> whole(values.size());
    const int bits = std::abs(stored.bitpix);
    for (std::size_t i = 0; i < values.size(); ++i) {
        const auto range = bits == 64 ? (1LL << 53) : (1LL << bits);
        const auto drawn = static_cast<long long>(random() % static_cast<std::uint64_t>(range));
        whole[i] = bits == 8 ? drawn : drawn - range / 2;
        values[i] = static_cast<double>(whole[i]) * 1e-3;
    }
    whole[5] = 7;
    if (stored.bitpix > 0) {
        fits_write_img(file, TLONGLONG, 1, width * height, whole.data(), &status);
    } else {
        values[6] = std::numeric_limits<double>::quiet_NaN();
        fits_write_img(file, TDOUBLE, 1, width * height, values.data(), &status);
    }
    if (stored.scale != 1.0 || stored.zero != 0.0) {
        double scale = stored.scale;
        double zero = stored.zero;
        fits_write_key(file, TDOUBLE, "BSCALE", &scale, nullptr, &status);
        fits_write_key(file, TDOUBLE, "BZERO", &zero, nullptr, &status);
    }
    if (stored.blank) {
        LONGLONG blank = 7;
        fits_write_key(file, TLONGLONG, "BLANK", &blank, nullptr, &status);
    }
    fits_close_file(file, &status);
    ASSERT_EQ(status, 0);
}

/// Truth: cfitsio's own reading of the same file.
TEST_P(PixelTypeTest, ReadsAsTheLibraryDoes) {
    const TemporaryFolder folder;
    const fs::path path = folder / "a.fits";
    writeStored(path, GetParam(), 37, 23);
    auto reader = FitsReader::open(path);
    ASSERT_TRUE(reader) << reader.error().detail;
    const auto ours = reader->image();
    ASSERT_TRUE(ours);
    fitsfile* file = nullptr;
    int status = 0;
    std::vector<float> theirs(37 * 23);
    float nan = std::numeric_limits<float>::quiet_NaN();
    int any = 0;
    fits_open_diskfile(&file, path.c_str(), READONLY, &status);
    fits_read_img(file, TFLOAT, 1, 37 * 23, &nan, theirs.data(), &any, &status);
    fits_close_file(file, &status);
    ASSERT_EQ(status, 0);
    for (std::size_t i = 0; i < theirs.size(); ++i) {
        if (std::isnan(theirs[i])) {
            EXPECT_TRUE(std::isnan(ours->pixels()[i])) << i;
        } else {
            // One unit in the last place: the library rounds some types in another order.
            EXPECT_NEAR(ours->pixels()[i], theirs[i], 1.2e-7F * std::abs(theirs[i])) << i;
        }
    }
    EXPECT_EQ(std::isnan(ours->pixels()[5]), GetParam().blank);
    std::vector<float> band(37 * 4);
    ASSERT_TRUE(reader->rows(11, band));
    EXPECT_TRUE(std::equal(
        band.begin(), band.end(), ours->pixels().begin() + 37 * 11, [](float a, float b) {
            return a == b || (std::isnan(a) && std::isnan(b));
        }));
}

Image gradient(int width, int height) {
    Image image(width, height);
    for (int y = 0; y < height; ++y) {
        for (int x = 0; x < width; ++x) {
            image.at(x, y) = static_cast<float>(1000 + 3 * x + 7 * y + (x * y) % 5);
        }
    }
    return image;
}

fs::path tileCompressed(const TemporaryFolder& folder, const Image& image) {
    fs::path path = folder / "tiles.fits.fz";
    fitsfile* file = nullptr;
    int status = 0;
    std::array<long, 2> sizes{image.width(), image.height()};
    fits_create_diskfile(&file, path.c_str(), &status);
    fits_set_compression_type(file, RICE_1, &status);
    fits_create_img(file, USHORT_IMG, 2, sizes.data(), &status);
    double exposure = 30.0;
    fits_write_key(file, TDOUBLE, "EXPTIME", &exposure, nullptr, &status);
    std::vector<std::uint16_t> pixels(image.pixels().begin(), image.pixels().end());
    fits_write_img(file, TUSHORT, 1, static_cast<LONGLONG>(pixels.size()), pixels.data(), &status);
    fits_close_file(file, &status);
    EXPECT_EQ(status, 0);
    return path;
}

fs::path gzipped(const TemporaryFolder& folder, const fs::path& plain) {
    std::ifstream stream(plain, std::ios::binary);
    const std::string bytes((std::istreambuf_iterator<char>(stream)),
                            std::istreambuf_iterator<char>());
    fs::path path = folder / (plain.filename().string() + ".gz");
    gzFile file = gzopen(path.c_str(), "wb");
    EXPECT_EQ(gzwrite(file, bytes.data(), static_cast<unsigned>(bytes.size())),
              static_cast<int>(bytes.size()));
    gzclose(file);
    return path;
}

void expectSame(const fs::path& path, const Image& expected) {
    const auto loaded = readFrame(path);
    ASSERT_TRUE(loaded) << loaded.error().detail;
    ASSERT_EQ(loaded->image.width(), expected.width());
    ASSERT_EQ(loaded->image.height(), expected.height());
    for (std::size_t i = 0; i < expected.pixels().size(); ++i) {
        ASSERT_EQ(loaded->image.pixels()[i], expected.pixels()[i]) << path << " " << i;
    }
}

TEST(OpenFrameTest, PackedFilesReadLikePlainOnes) {
    const TemporaryFolder folder;
    const Image image = gradient(130, 90);
    ASSERT_TRUE(writeFits(folder / "plain.fits", image, {}, PixelType::UInt16));
    expectSame(folder / "plain.fits", image);
    expectSame(gzipped(folder, folder / "plain.fits"), image);
    expectSame(tileCompressed(folder, image), image);
    EXPECT_EQ(readFrame(folder / "tiles.fits.fz")->header.number("EXPTIME"), 30.0);
    // How the tiles were packed is nothing that the frame's own results should say.
    for (const char* keyword : {"TFIELDS", "TTYPE1", "TFORM1", "ZTILE1", "ZNAME1", "ZNAXIS"}) {
        const auto loaded = readFrame(folder / "tiles.fits.fz");
        ASSERT_TRUE(writeFits(folder / "again.fits", loaded->image, loaded->header));
        EXPECT_EQ(readFitsHeader(folder / "again.fits")->find(keyword), nullptr) << keyword;
    }
}

TEST(OpenFrameTest, PackedFilesCutShortAreTold) {
    const TemporaryFolder folder;
    const Image image = gradient(400, 300);
    ASSERT_TRUE(writeFits(folder / "plain.fits", image, {}, PixelType::UInt16));
    const fs::path gz = gzipped(folder, folder / "plain.fits");
    const fs::path fz = tileCompressed(folder, image);
    for (const fs::path& path : {gz, fz}) {
        fs::resize_file(path, fs::file_size(path) * 2 / 3);
        const auto loaded = readFrame(path);
        ASSERT_FALSE(loaded) << path;
        EXPECT_EQ(loaded.error().id, ErrorId::FrameTruncated)
            << path << ": " << loaded.error().detail;
        EXPECT_NE(loaded.error().detail.find("copy it again"), std::string::npos);
    }
}

/// Truth: unsigned 64-bit numbers as the standard stores them, by hand: the sign bit turned over, the high byte first. In
/// double they would come as multiples of 1024.
TEST(FitsPixelsTest, UnsignedWholesOf64BitsKeepTheirLastDigit) {
    const std::array<std::uint64_t, 4> numbers{0, 1133, 65535, 16777215};
    std::vector<std::byte> bytes;
    for (const std::uint64_t number : numbers) {
        const std::uint64_t stored = number ^ (std::uint64_t{1} << 63U);
        for (int shift = 56; shift >= 0; shift -= 8) {
            bytes.push_back(
                static_cast<std::byte>((stored >> static_cast<unsigned>(shift)) & 0xFFU));
        }
    }
    FitsPixelLayout layout;
    layout.bitsPerPixel = 64;
    layout.zero = 9223372036854775808.0;
    std::vector<float> values(numbers.size());
    convertFitsPixels(bytes, layout, values);
    for (std::size_t i = 0; i < numbers.size(); ++i) {
        EXPECT_EQ(values[i], static_cast<float>(numbers[i]));
    }
}

/// A tile packed by gzip with its middle overwritten: the library's own decoder never comes back from it.
TEST(OpenFrameTest, ADamagedGzipTileIsToldAtOnce) {
    const TemporaryFolder folder;
    std::mt19937 random(3);
    Image image(400, 300);
    for (float& v : image.pixels()) {
        v = static_cast<float>(1000 + random() % 500);
    }
    ASSERT_TRUE(writeFits(folder / "plain.fits", image, {}, PixelType::UInt16));
    for (const int kind : {GZIP_1, GZIP_2}) {
        const fs::path path = folder / ("packed" + std::to_string(kind) + ".fits.fz");
        fitsfile* in = nullptr;
        fitsfile* out = nullptr;
        int status = 0;
        fits_open_diskfile(&in, (folder / "plain.fits").c_str(), READONLY, &status);
        fits_create_diskfile(&out, path.c_str(), &status);
        fits_set_compression_type(out, kind, &status);
        fits_img_compress(in, out, &status);
        fits_close_file(out, &status);
        fits_close_file(in, &status);
        ASSERT_EQ(status, 0);
        EXPECT_TRUE(readFrame(path)) << "whole";
        std::fstream bytes(path, std::ios::in | std::ios::out | std::ios::binary);
        const auto size = static_cast<std::streamoff>(fs::file_size(path));
        bytes.seekp(size / 2);
        bytes << std::string(static_cast<std::size_t>(size / 8), '\xAA');
        bytes.close();
        const auto loaded = readFrame(path);
        ASSERT_FALSE(loaded);
        EXPECT_EQ(loaded.error().id, ErrorId::FrameTruncated);
    }
}

TEST(OpenFrameTest, DamagedPackedFilesAreErrorsAndNothingWorse) {
    const TemporaryFolder folder;
    const Image image = gradient(200, 150);
    ASSERT_TRUE(writeFits(folder / "plain.fits", image, {}, PixelType::UInt16));
    std::mt19937 random(9);
    for (const fs::path& path :
         {gzipped(folder, folder / "plain.fits"), tileCompressed(folder, image)}) {
        std::ifstream in(path, std::ios::binary);
        std::string bytes((std::istreambuf_iterator<char>(in)), std::istreambuf_iterator<char>());
        for (int round = 0; round < 40; ++round) {
            std::string broken = bytes;
            for (int k = 0; k < 30; ++k) {
                broken[random() % broken.size()] = static_cast<char>(random());
            }
            std::ofstream(path, std::ios::binary) << broken;
            const auto loaded = readFrame(path);
            if (!loaded) {
                EXPECT_EQ(loaded.error().subject, path.string());
                EXPECT_FALSE(loaded.error().detail.empty());
            }
        }
    }
}

/// A file with an empty primary unit, a map of weights, the picture, and a smaller one.
TEST(OpenFrameTest, OfSeveralImagesTheLargestIsReadAndNamed) {
    const TemporaryFolder folder;
    const fs::path path = folder / "many.fits";
    fitsfile* file = nullptr;
    int status = 0;
    fits_create_diskfile(&file, path.c_str(), &status);
    fits_create_img(file, BYTE_IMG, 0, nullptr, &status);
    fits_update_key_str(file, "FILTER", "V", nullptr, &status);
    fits_update_key_str(file, "OBJECT", "from the primary", nullptr, &status);
    for (const auto& [name, width] :
         {std::pair{"WEIGHT", 90L}, std::pair{"SCI", 60L}, std::pair{"GUIDE", 20L}}) {
        std::array<long, 2> sizes{width, 30};
        std::vector<float> pixels(static_cast<std::size_t>(width * 30), static_cast<float>(width));
        fits_create_img(file, FLOAT_IMG, 2, sizes.data(), &status);
        fits_update_key_str(file, "EXTNAME", name, nullptr, &status);
        fits_update_key_str(file, "OBJECT", name, nullptr, &status);
        fits_write_img(file, TFLOAT, 1, width * 30, pixels.data(), &status);
    }
    fits_close_file(file, &status);
    ASSERT_EQ(status, 0);
    auto reader = FitsReader::open(path);
    ASSERT_TRUE(reader);
    EXPECT_EQ(reader->width(), 60);
    EXPECT_EQ(reader->note(), "image [2], one of 3, 'SCI'");
    EXPECT_EQ(reader->header().text("FILTER"), "V");
    EXPECT_EQ(reader->header().text("OBJECT"), "SCI");
    EXPECT_EQ(reader->image()->at(3, 3), 60.0F);
    EXPECT_EQ(reader->extension("GUIDE").error().id, ErrorId::FrameNotAnImage);
}

TEST(OpenFrameTest, AColourCubeIsTheMeanOfItsPlanes) {
    const TemporaryFolder folder;
    const fs::path path = folder / "cube.fits";
    fitsfile* file = nullptr;
    int status = 0;
    std::array<long, 3> sizes{8, 6, 3};
    std::vector<float> pixels;
    for (int i = 0; i < 8 * 6 * 3; ++i) {
        const int plane = i / 48;
        pixels.push_back(static_cast<float>(plane + 1));
    }
    fits_create_diskfile(&file, path.c_str(), &status);
    fits_create_img(file, FLOAT_IMG, 3, sizes.data(), &status);
    fits_write_img(file, TFLOAT, 1, 8 * 6 * 3, pixels.data(), &status);
    fits_close_file(file, &status);
    ASSERT_EQ(status, 0);
    const auto info = describeFile(path, {});
    ASSERT_TRUE(info);
    EXPECT_EQ(info->planes, 3);
    EXPECT_EQ(info->note, "the mean of its 3 colour planes");
    EXPECT_EQ(readFrame(path)->image.at(4, 4), 2.0F);
}

template <typename Sample>
void writeTiff(
    const fs::path& path, int width, int height, int samples, const std::vector<Sample>& values) {
    TIFF* file = TIFFOpen(path.c_str(), "w");
    ASSERT_NE(file, nullptr);
    TIFFSetField(file, TIFFTAG_IMAGEWIDTH, width);
    TIFFSetField(file, TIFFTAG_IMAGELENGTH, height);
    TIFFSetField(file, TIFFTAG_BITSPERSAMPLE, static_cast<int>(8 * sizeof(Sample)));
    TIFFSetField(file, TIFFTAG_SAMPLESPERPIXEL, samples);
    TIFFSetField(file,
                 TIFFTAG_SAMPLEFORMAT,
                 std::is_floating_point_v<Sample> ? SAMPLEFORMAT_IEEEFP : SAMPLEFORMAT_UINT);
    TIFFSetField(file, TIFFTAG_PLANARCONFIG, PLANARCONFIG_CONTIG);
    TIFFSetField(
        file, TIFFTAG_PHOTOMETRIC, samples == 3 ? PHOTOMETRIC_RGB : PHOTOMETRIC_MINISBLACK);
    TIFFSetField(file, TIFFTAG_COMPRESSION, COMPRESSION_LZW);
    TIFFSetField(file, TIFFTAG_ROWSPERSTRIP, 5);
    TIFFSetField(file, TIFFTAG_DATETIME, "2034:03:17 21:02:11");
    TIFFSetField(file, TIFFTAG_MODEL, "Vell C1");
    TIFFSetField(file, TIFFTAG_IMAGEDESCRIPTION, "EXPTIME = 60.0 / s\nFILTER  = 'V       '\n");
    for (int y = 0; y < height; ++y) {
        std::vector<Sample> row(values.begin() + y * width * samples,
                                values.begin() + (y + 1) * width * samples);
        ASSERT_EQ(TIFFWriteScanline(file, row.data(), static_cast<std::uint32_t>(y), 0), 1);
    }
    TIFFClose(file);
}

TEST(TiffTest, GreyColourAndFloat) {
    const TemporaryFolder folder;
    const Image image = gradient(31, 19);
    std::vector<std::uint16_t> grey(image.pixels().begin(), image.pixels().end());
    writeTiff(folder / "grey.tif", 31, 19, 1, grey);
    expectSame(folder / "grey.tif", image);
    std::vector<float> real(image.pixels().begin(), image.pixels().end());
    writeTiff(folder / "real.tiff", 31, 19, 1, real);
    expectSame(folder / "real.tiff", image);
    std::vector<std::uint16_t> colour;
    for (const std::uint16_t v : grey) {
        colour.insert(colour.end(),
                      {static_cast<std::uint16_t>(v - 30), v, static_cast<std::uint16_t>(v + 30)});
    }
    writeTiff(folder / "colour.tif", 31, 19, 3, colour);
    const auto loaded = readFrame(folder / "colour.tif");
    ASSERT_TRUE(loaded);
    EXPECT_NEAR(loaded->image.at(7, 7), image.at(7, 7), 1e-3F);
    const auto info = describeFile(folder / "grey.tif", {});
    ASSERT_TRUE(info);
    EXPECT_EQ(toIso(*info->midExposure), "2034-03-17T21:02:41.000Z");
    EXPECT_EQ(info->camera, "Vell C1");
    EXPECT_EQ(info->filter, "V");
}

TEST(TiffTest, BandsComeInAnyOrderAndShortFilesAreTold) {
    const TemporaryFolder folder;
    const Image image = gradient(64, 64);
    std::vector<std::uint16_t> grey(image.pixels().begin(), image.pixels().end());
    writeTiff(folder / "grey.tif", 64, 64, 1, grey);
    auto source = openFrame(folder / "grey.tif");
    ASSERT_TRUE(source);
    std::vector<float> band(64 * 3);
    ASSERT_TRUE((*source)->rows(40, band));
    EXPECT_EQ(band[5], image.at(5, 40));
    ASSERT_TRUE((*source)->rows(2, band));
    EXPECT_EQ(band[5], image.at(5, 2));
    fs::resize_file(folder / "grey.tif", fs::file_size(folder / "grey.tif") / 2);
    EXPECT_FALSE(readFrame(folder / "grey.tif"));
}

/// A still camera's raw file in the open DNG format: a mosaic of 16 bits with its tags.
void writeDng(const fs::path& path,
              const std::vector<std::uint16_t>& mosaic,
              int width,
              int height,
              const std::string& pattern) {
    TIFF* file = TIFFOpen(path.c_str(), "w");
    ASSERT_NE(file, nullptr);
    TIFFSetField(file, TIFFTAG_SUBFILETYPE, 0);
    TIFFSetField(file, TIFFTAG_IMAGEWIDTH, width);
    TIFFSetField(file, TIFFTAG_IMAGELENGTH, height);
    TIFFSetField(file, TIFFTAG_BITSPERSAMPLE, 16);
    TIFFSetField(file, TIFFTAG_SAMPLESPERPIXEL, 1);
    TIFFSetField(file, TIFFTAG_PHOTOMETRIC, 32803); // colour filter array
    TIFFSetField(file, TIFFTAG_PLANARCONFIG, PLANARCONFIG_CONTIG);
    TIFFSetField(file, TIFFTAG_COMPRESSION, COMPRESSION_NONE);
    TIFFSetField(file, TIFFTAG_MAKE, "Quill");
    TIFFSetField(file, TIFFTAG_MODEL, "Quill Still 3");
    TIFFSetField(file, TIFFTAG_DNGVERSION, "\001\004\0\0");
    TIFFSetField(file, TIFFTAG_UNIQUECAMERAMODEL, "Quill Still 3");
    const std::array<float, 9> matrix{1, 0, 0, 0, 1, 0, 0, 0, 1};
    TIFFSetField(file, TIFFTAG_COLORMATRIX1, 9, matrix.data());
    const auto side = static_cast<std::uint16_t>(pattern.size() == 4 ? 2 : 6);
    const std::array<std::uint16_t, 2> cells{side, side};
    std::vector<std::uint8_t> colours;
    for (const char letter : pattern) {
        colours.push_back(static_cast<std::uint8_t>(std::string("RGB").find(letter)));
    }
    TIFFSetField(file, TIFFTAG_CFAREPEATPATTERNDIM, cells.data());
    TIFFSetField(file, TIFFTAG_CFAPATTERN, static_cast<int>(colours.size()), colours.data());
    for (int y = 0; y < height; ++y) {
        std::vector<std::uint16_t> row(mosaic.begin() + y * width,
                                       mosaic.begin() + (y + 1) * width);
        ASSERT_EQ(TIFFWriteScanline(file, row.data(), static_cast<std::uint32_t>(y), 0), 1);
    }
    TIFFClose(file);
}

TEST(RawFileTest, SensorValuesComeAsTheyAre) {
    const TemporaryFolder folder;
    std::mt19937 random(8);
    std::vector<std::uint16_t> mosaic(64 * 48);
    for (auto& v : mosaic) {
        v = static_cast<std::uint16_t>(500 + random() % 3000);
    }
    writeDng(folder / "still.dng", mosaic, 64, 48, "GRBG");
    const auto loaded = readFrame(folder / "still.dng");
    ASSERT_TRUE(loaded) << loaded.error().detail;
    ASSERT_EQ(loaded->image.width(), 64);
    ASSERT_EQ(loaded->image.height(), 48);
    for (std::size_t i = 0; i < mosaic.size(); ++i) {
        ASSERT_EQ(loaded->image.pixels()[i], static_cast<float>(mosaic[i])) << i;
    }
    const auto info = describeFile(folder / "still.dng", {});
    ASSERT_TRUE(info);
    EXPECT_EQ(info->bayerPattern, "GRBG");
    EXPECT_NE(info->camera.find("Quill"), std::string::npos) << info->camera;
    // A sensor whose colours repeat after six pixels.
    const std::string six = "GBGGRGRGRBGBGBGGRGGRGGBGBGBRGRGRGGBG";
    writeDng(folder / "six.dng", mosaic, 64, 48, six);
    const auto ofSix = describeFile(folder / "six.dng", {});
    ASSERT_TRUE(ofSix) << ofSix.error().detail;
    EXPECT_EQ(ofSix->bayerPattern, six);
    fs::resize_file(folder / "still.dng", 3000);
    EXPECT_FALSE(readFrame(folder / "still.dng"));
}

TEST(RowSeriesTest, PackedAndPlainFramesStreamAlike) {
    const TemporaryFolder folder;
    const Image image = gradient(50, 40);
    ASSERT_TRUE(writeFits(folder / "a.fits", image, {}, PixelType::UInt16));
    const std::vector<fs::path> files{
        folder / "a.fits", gzipped(folder, folder / "a.fits"), tileCompressed(folder, image)};
    auto series = RowSeries::open(files, {});
    ASSERT_TRUE(series);
    for (std::size_t f = 0; f < 3; ++f) {
        std::vector<float> band(50 * 7);
        ASSERT_TRUE(series->rows(f, 21, band));
        EXPECT_TRUE(std::equal(band.begin(), band.end(), image.pixels().begin() + 50 * 21)) << f;
    }
}

TEST(PixelKindTest, PixelsTellWhatNobodySays) {
    FrameInfo info;
    info.exposureKnown = true;
    info.exposureSeconds = 60.0;
    EXPECT_EQ(kindFromPixels({25000.0, 150.0, 0.0, 1.0}, info, 65535.0), FrameKind::Flat);
    EXPECT_EQ(kindFromPixels({900.0, 20.0, 4e-4, 1.0}, info, 65535.0), FrameKind::Light);
    EXPECT_EQ(kindFromPixels({500.0, 6.0, 0.0, 1.0}, info, 65535.0), FrameKind::Dark);
    info.exposureSeconds = 0.0;
    EXPECT_EQ(kindFromPixels({500.0, 6.0, 0.0, 1.0}, info, 65535.0), FrameKind::Bias);
    info.exposureKnown = false;
    EXPECT_EQ(kindFromPixels({500.0, 6.0, 0.0, 1.0}, info, 65535.0), FrameKind::Unknown);
}

/// Truth: stars drawn with a width of two pixels, single hot pixels that are none.
TEST(PixelKindTest, StarsAreToldFromHotPixels) {
    const TemporaryFolder folder;
    std::mt19937 random(3);
    std::normal_distribution<float> noise(800.0F, 10.0F);
    const auto make = [&](bool stars) {
        Image image(300, 300);
        for (float& v : image.pixels()) {
            v = noise(random);
        }
        for (int k = 0; k < 200; ++k) {
            const int x = 5 + static_cast<int>(random() % 290);
            const int y = 5 + static_cast<int>(random() % 290);
            for (int j = -4; j <= 4; ++j) {
                for (int i = -4; i <= 4; ++i) {
                    image.at(x + i, y + j) +=
                        stars ? 8000.0F * std::exp(-0.125F * static_cast<float>(i * i + j * j))
                              : (i == 0 && j == 0 ? 8000.0F : 0.0F);
                }
            }
        }
        return image;
    };
    for (const bool stars : {true, false}) {
        Header header;
        header.set("EXPTIME", 60.0);
        ASSERT_TRUE(writeFits(folder / "x.fits", make(stars), header, PixelType::UInt16));
        const auto info = describeFile(folder / "x.fits", {});
        ASSERT_TRUE(info);
        EXPECT_EQ(info->kind, stars ? FrameKind::Light : FrameKind::Dark);
        EXPECT_NE(info->kindReason.find("its pixels"), std::string::npos);
    }
}

} // namespace
} // namespace pathmark::frame
