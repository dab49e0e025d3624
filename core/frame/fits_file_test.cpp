#include "core/frame/fits_file.h"

#include "tests/support/temporary_folder.h"

#include <gtest/gtest.h>

#include <cmath>
#include <filesystem>
#include <fstream>
#include <limits>

namespace pathmark::frame {
namespace {

using test_support::TemporaryFolder;

Image ramp(int width, int height) {
    Image image(width, height);
    for (int y = 0; y < height; ++y) {
        for (int x = 0; x < width; ++x) {
            image.at(x, y) = static_cast<float>(100 * y + x);
        }
    }
    return image;
}

TEST(FitsFileTest, FloatsComeBackWithNanAndHeader) {
    const TemporaryFolder folder;
    Image image = ramp(33, 21);
    image.at(4, 5) = std::numeric_limits<float>::quiet_NaN();
    Header header;
    header.set("OBJECT", std::string("it's a field"));
    header.set("EXPTIME", 60.5);
    header.set("NCOMBINE", 7LL);
    header.add({"HISTORY", "made here", {}});
    ASSERT_TRUE(writeFits(folder / "a.fits", image, header));
    const auto back = readFits(folder / "a.fits");
    ASSERT_TRUE(back);
    EXPECT_EQ(back->image.width(), 33);
    EXPECT_EQ(back->image.at(32, 20), 2032.0F);
    EXPECT_TRUE(std::isnan(back->image.at(4, 5)));
    EXPECT_EQ(back->header.text("OBJECT"), "it's a field");
    EXPECT_EQ(back->header.number("EXPTIME"), 60.5);
    EXPECT_EQ(back->header.number("NCOMBINE"), 7.0);
}

TEST(FitsFileTest, UnsignedSixteenBitsKeepTheirWholeRange) {
    const TemporaryFolder folder;
    Image image(4, 2);
    image.at(0, 0) = 65535.0F;
    image.at(3, 1) = 32768.0F;
    ASSERT_TRUE(writeFits(folder / "a.fits", image, {}, PixelType::UInt16));
    const auto back = readFits(folder / "a.fits");
    ASSERT_TRUE(back);
    EXPECT_EQ(back->image.at(0, 0), 65535.0F);
    EXPECT_EQ(back->image.at(3, 1), 32768.0F);
    EXPECT_EQ(back->image.at(1, 1), 0.0F);
}

TEST(FitsFileTest, RowsComeAlone) {
    const TemporaryFolder folder;
    ASSERT_TRUE(writeFits(folder / "a.fits", ramp(10, 30), {}));
    auto reader = FitsReader::open(folder / "a.fits");
    ASSERT_TRUE(reader);
    std::vector<float> rows(20);
    ASSERT_TRUE(reader->rows(7, rows));
    EXPECT_EQ(rows[0], 700.0F);
    EXPECT_EQ(rows[19], 809.0F);
}

TEST(FitsFileTest, ACutFileIsNamedAsTruncated) {
    const TemporaryFolder folder;
    const auto path = folder / "cut.fits";
    ASSERT_TRUE(writeFits(path, ramp(100, 100), {}));
    std::filesystem::resize_file(path, 2880 * 6);
    const auto reader = FitsReader::open(path);
    ASSERT_FALSE(reader);
    EXPECT_EQ(reader.error().id, ErrorId::FrameTruncated);
    EXPECT_EQ(reader.error().subject, path.string());
}

TEST(FitsFileTest, OtherFilesAreNoFrames) {
    const TemporaryFolder folder;
    std::ofstream(folder / "text.fits") << "this is no picture";
    EXPECT_EQ(readFits(folder / "text.fits").error().id, ErrorId::FrameNotReadable);
    EXPECT_EQ(readFits(folder / "missing.fits").error().id, ErrorId::FrameNotReadable);
    ASSERT_TRUE(writeFitsHeader(folder / "empty.fits", {}));
    EXPECT_EQ(readFits(folder / "empty.fits").error().id, ErrorId::FrameNotAnImage);
}

/// Truth: cfitsio's own long strings (CONTINUE), with quotes and blanks where a card ends.
TEST(FitsHeaderTest, ATextThatGoesOnInOtherCardsIsRead) {
    const test_support::TemporaryFolder folder;
    std::string text;
    for (int i = 0; i < 40; ++i) {
        text += "it's word " + std::to_string(i) + " & ";
    }
    text += "end";
    Header header;
    header.set("LONGTEXT", text);
    header.set("AFTER", 3.0);
    ASSERT_TRUE(writeFits(folder / "long.fits", Image(4, 4), header));
    const auto read = readFitsHeader(folder / "long.fits");
    ASSERT_TRUE(read);
    EXPECT_EQ(read->text("LONGTEXT"), text);
    EXPECT_EQ(read->number("AFTER"), 3.0);
    EXPECT_EQ(read->find("CONTINUE"), nullptr);
}

} // namespace
} // namespace pathmark::frame
