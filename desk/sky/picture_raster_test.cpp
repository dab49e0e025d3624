#include "desk/sky/picture_raster.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

namespace pathmark::desk {
namespace {

constexpr QRgb kGround = 0xFF102030;

QImage noise(int width, int height, QImage::Format format) {
    QImage image(width, height, format);
    std::mt19937 random(3);
    for (int y = 0; y < height; ++y) {
        for (int x = 0; x < width; ++x) {
            const int v = static_cast<int>(random() % 256U);
            image.setPixelColor(x,
                                y,
                                format == QImage::Format_RGB32
                                    ? QColor(v, (v * 7) % 256, (v * 13) % 256)
                                    : QColor(v, v, v));
        }
    }
    return image;
}

/// Truth: each screen pixel's middle mapped by itself, in double. Where the middle lies within a thousandth of a pixel of an edge
/// either neighbour is right.
TEST(PictureRasterTest, NearestTakesThePixelUnderTheMiddleOfEachScreenPixel) {
    for (const auto format : {QImage::Format_Grayscale8, QImage::Format_RGB32}) {
        const QImage picture = noise(211, 157, format);
        for (const double degrees : {0.0, 31.0, 90.0, 203.0}) {
            for (const double scale : {0.31, 1.0, 2.7}) {
                QTransform toPicture;
                toPicture.translate(105.0, 78.0);
                toPicture.rotate(degrees);
                toPicture.scale(scale, -scale);
                toPicture.translate(-150.0, -110.0);
                QImage screen(300, 220, QImage::Format_RGB32);
                rasterPicture(screen, picture, toPicture, {kGround, 0xFFFFFFFF, false});
                int wrong = 0;
                for (int y = 0; y < screen.height(); ++y) {
                    for (int x = 0; x < screen.width(); ++x) {
                        const QPointF p = toPicture.map(QPointF(x + 0.5, y + 0.5));
                        const double edge =
                            std::max(std::abs(p.x() - std::round(p.x())) < 0.02 ? 1.0 : 0.0,
                                     std::abs(p.y() - std::round(p.y())) < 0.02 ? 1.0 : 0.0);
                        const QPoint at(static_cast<int>(std::floor(p.x())),
                                        static_cast<int>(std::floor(p.y())));
                        const QRgb truth = picture.valid(at) ? picture.pixel(at) : kGround;
                        wrong += edge == 0.0 && screen.pixel(x, y) != truth ? 1 : 0;
                    }
                }
                EXPECT_EQ(wrong, 0) << degrees << "°, scale " << scale;
            }
        }
    }
}

/// Truth: between the pixels of a plane the value is the plane's.
TEST(PictureRasterTest, SmoothIsExactOnAPlane) {
    QImage picture(190, 64, QImage::Format_Grayscale8);
    for (int y = 0; y < 64; ++y) {
        for (int x = 0; x < 190; ++x) {
            picture.setPixelColor(x, y, QColor(x + y, x + y, x + y));
        }
    }
    QTransform toPicture;
    toPicture.translate(20.0, 5.0);
    toPicture.rotate(17.0);
    toPicture.scale(0.37, 0.37);
    QImage screen(150, 60, QImage::Format_RGB32);
    rasterPicture(screen, picture, toPicture, {kGround, 0xFFFFFFFF, true});
    for (int y = 0; y < screen.height(); ++y) {
        for (int x = 0; x < screen.width(); ++x) {
            const QPointF p = toPicture.map(QPointF(x + 0.5, y + 0.5)) - QPointF(0.5, 0.5);
            EXPECT_NEAR(qGreen(screen.pixel(x, y)), p.x() + p.y(), 1.01) << x << ", " << y;
        }
    }
}

TEST(PictureRasterTest, TheTintMultipliesEveryPixel) {
    QImage picture(4, 4, QImage::Format_Grayscale8);
    picture.fill(200);
    QImage screen(4, 4, QImage::Format_RGB32);
    const RasterLook look{kGround, qRgb(200, 58, 40), false};
    rasterPicture(screen, picture, QTransform(), look);
    EXPECT_EQ(screen.pixel(1, 1), qRgb(157, 45, 31)); // 200 x 200 / 255 and so on, rounded
    QImage coloured(4, 4, QImage::Format_RGB32);
    coloured.fill(qRgb(200, 100, 255));
    rasterPicture(screen, coloured, QTransform(), look);
    EXPECT_EQ(screen.pixel(1, 1), qRgb(157, 23, 40));
}

TEST(PictureRasterTest, APictureOutOfSightLeavesTheGround) {
    const QImage picture = noise(10, 10, QImage::Format_Grayscale8);
    QImage screen(50, 40, QImage::Format_RGB32);
    for (const bool smooth : {false, true}) {
        rasterPicture(
            screen, picture, QTransform::fromTranslate(500.0, 3.0), {kGround, 0xFFFFFFFF, smooth});
        for (int y = 0; y < 40; ++y) {
            for (int x = 0; x < 50; ++x) {
                ASSERT_EQ(screen.pixel(x, y), kGround);
            }
        }
    }
}

} // namespace
} // namespace pathmark::desk
