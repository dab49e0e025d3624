#include "desk/sky/star_marks.h"

#include "desk/theme/theme.h"

#include <QImage>
#include <QPainter>

#include <gtest/gtest.h>

namespace pathmark::desk {
namespace {

QImage drawn(const std::vector<StarMark>& marks, double room) {
    QImage image(200, 200, QImage::Format_RGB32);
    image.fill(Qt::black);
    QPainter painter(&image);
    painter.setRenderHint(QPainter::Antialiasing);
    const SkyPlaces places{[](SkyPos) { return std::optional<QPointF>(); },
                           [](frame::PixelPos p) { return QPointF(p.x, p.y); },
                           image.rect(),
                           room / 3.4};
    LabelGround ground(places.seen, [](const QRectF&) { return 0.0; });
    StarLayer(marks).draw(painter, places, ground);
    return image;
}

int painted(const QImage& image) {
    int count = 0;
    for (int y = 0; y < image.height(); ++y) {
        for (int x = 0; x < image.width(); ++x) {
            count += (image.pixel(x, y) & 0xFFFFFFU) != 0U ? 1 : 0;
        }
    }
    return count;
}

TEST(StarMarksTest, NoMarkLiesOnTheLightItMarks) {
    for (const auto kind : {StarMarkKind::Matched,
                            StarMarkKind::Rejected,
                            StarMarkKind::Unclear,
                            StarMarkKind::SourceOnly}) {
        for (const double room : {3.5, 8.0, 20.0}) {
            const QImage image = drawn({{kind, {100.0, 100.0}, true, 0.0}}, room);
            EXPECT_GT(painted(image), 5);
            const int free = static_cast<int>(0.6 * room);
            for (int y = 100 - free; y <= 100 + free; ++y) {
                for (int x = 100 - free; x <= 100 + free; ++x) {
                    EXPECT_EQ(image.pixel(x, y) & 0xFFFFFFU, 0U)
                        << static_cast<int>(kind) << " at " << x << ", " << y;
                }
            }
        }
    }
}

/// Never colour alone: every kind differs from every other in where it paints.
TEST(StarMarksTest, KindsDifferInShape) {
    std::vector<QImage> shapes;
    for (const auto kind : {StarMarkKind::Matched,
                            StarMarkKind::Rejected,
                            StarMarkKind::Unclear,
                            StarMarkKind::SourceOnly,
                            StarMarkKind::StarOnly}) {
        QImage image = drawn({{kind, {100.0, 100.0}, false, 0.0}}, 8.0);
        // Black and white: the colour is taken away.
        for (int y = 0; y < 200; ++y) {
            for (int x = 0; x < 200; ++x) {
                const bool lit = qGray(image.pixel(x, y)) > 30;
                image.setPixel(x, y, lit ? 0xFFFFFFFFU : 0xFF000000U);
            }
        }
        for (const QImage& other : shapes) {
            EXPECT_NE(image, other);
        }
        shapes.push_back(image);
    }
}

TEST(StarMarksTest, BrighterStarsHaveLargerLozengesAndFarOnesAreNotDrawn) {
    const auto lozenge = [](double weight) {
        return painted(drawn({{StarMarkKind::StarOnly, {100.0, 100.0}, false, weight}}, 5.0));
    };
    EXPECT_GT(lozenge(1.0), lozenge(0.0) + 10);
    EXPECT_EQ(painted(drawn({{StarMarkKind::Matched, {900.0, 100.0}, false, 0.0}}, 5.0)), 0);
}

} // namespace
} // namespace pathmark::desk
