#include "core/night/linear_picture.h"

#include "tests/support/moving_frames.h"

#include <gtest/gtest.h>

namespace pathmark::night {
namespace {

LinearPicture made(bool isGrey) {
    LinearPicture picture{{}, test_support::turnedWcs(20.0, {30.0, 20.0})};
    picture.planes.isGrey = isGrey;
    float value = 1.0F;
    for (auto& plane : picture.planes.planes) {
        plane = frame::Image(60, 40, value);
        value += isGrey ? 0.0F : 1.0F;
    }
    return picture;
}

TEST(LinearPictureTest, ComesBackAsItWasWritten) {
    const test_support::TemporaryFolder folder;
    for (const bool isGrey : {false, true}) {
        const auto path = folder / "picture.fits";
        const LinearPicture picture = made(isGrey);
        ASSERT_TRUE(writeLinear(path, picture, "C/2034 E4", Utc::julian(2464000.5), "abc"));
        const auto read = readLinear(path);
        ASSERT_TRUE(read) << read.error().detail;
        EXPECT_EQ(read->planes.isGrey, isGrey);
        for (std::size_t c = 0; c < 3; ++c) {
            EXPECT_EQ(read->planes.planes[c].at(5, 7), picture.planes.planes[c].at(5, 7)) << c;
        }
        EXPECT_LT(
            separation(read->wcs.toSky({10.0, 10.0}), picture.wcs.toSky({10.0, 10.0})).arcsec(),
            1e-6);
    }
    EXPECT_FALSE(readLinear(folder / "none.fits"));
}

} // namespace
} // namespace pathmark::night
