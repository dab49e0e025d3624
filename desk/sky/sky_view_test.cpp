#include "desk/sky/sky_view.h"

#include <QSignalSpy>
#include <QTest>
#include <QWheelEvent>

#include <gtest/gtest.h>

#include <cmath>
#include <random>

namespace pathmark::desk {
namespace {

std::shared_ptr<const Picture> picture(bool mirrored = false) {
    auto p = std::make_shared<Picture>();
    p->title = "test";
    p->values = frame::Image(400, 300, 100.0F);
    p->values.at(120, 80) = 777.0F;
    frame::Wcs wcs;
    wcs.referenceSky = skyDegrees(100.0, 30.0);
    wcs.referencePixel = {199.5, 149.5};
    const double s = Angle::arcsec(2.0).radians();
    const double t = 25.0 * kRadiansPerDegree;
    const double flip = mirrored ? 1.0 : -1.0;
    wcs.cd = {flip * s * std::cos(t), s * std::sin(t), -flip * s * std::sin(t), s * std::cos(t)};
    p->wcs = wcs;
    makeDisplay(*p, {});
    return p;
}

class SkyViewTest : public testing::Test {
  protected:
    SkyViewTest() {
        view.resize(800, 600);
        view.setPicture(picture());
        view.show();
    }

    SkyView view;
};

TEST_F(SkyViewTest, PlacesComeBackAtAnyZoom) {
    for (int i = 0; i < 6; ++i) {
        const auto back = view.toPixel(view.toWidget({120.0, 80.0}));
        EXPECT_NEAR(back.x, 120.0, 1e-9);
        EXPECT_NEAR(back.y, 80.0, 1e-9);
        QTest::keyClick(&view, Qt::Key_A);
        view.zoomBy(1.7, QPointF(100, 100));
    }
}

/// Truth: the mean of 8 x 8 independent values scatters by an eighth of what each does. Sampling, or the mean of the nearest four,
/// leaves half and more.
TEST_F(SkyViewTest, AReducedViewIsAveraged) {
    auto noisy = std::make_shared<Picture>();
    noisy->values = frame::Image(2401, 1801);
    std::mt19937 random(4);
    std::normal_distribution<float> noise(1000.0F, 10.0F);
    for (float& v : noisy->values.pixels()) {
        v = noise(random);
    }
    makeDisplay(*noisy, {});
    const auto scatter = [](const QImage& image, const QRect& part) {
        double sum = 0.0;
        double squares = 0.0;
        for (int y = part.top(); y <= part.bottom(); ++y) {
            for (int x = part.left(); x <= part.right(); ++x) {
                const double v = qGray(image.pixel(x, y));
                sum += v;
                squares += v * v;
            }
        }
        const double n = static_cast<double>(part.width()) * part.height();
        return std::sqrt(squares / n - sum / n * sum / n);
    };
    view.resize(301, 226);
    view.setPicture(noisy);
    view.fitAll();
    const double all = scatter(noisy->display, {0, 0, 300, 300});
    const double seen = scatter(view.grab().toImage(), {120, 80, 60, 60});
    EXPECT_LT(seen, 0.25 * all);
    EXPECT_GT(seen, 0.05 * all) << "noise is seen";
}

TEST_F(SkyViewTest, NorthIsUpAndEastLeftWhateverTheCamera) {
    for (const bool mirrored : {false, true}) {
        view.setPicture(picture(mirrored));
        const auto& wcs = *view.picture()->wcs;
        const double step = Angle::arcsec(60.0).radians();
        const QPointF here = view.toWidget(*wcs.toPixel(wcs.referenceSky));
        const QPointF north =
            view.toWidget(*wcs.toPixel(fromTangentPlane(wcs.referenceSky, {0.0, step})));
        const QPointF east =
            view.toWidget(*wcs.toPixel(fromTangentPlane(wcs.referenceSky, {step, 0.0})));
        EXPECT_NEAR(north.x(), here.x(), 0.1);
        EXPECT_LT(north.y(), here.y());
        EXPECT_LT(east.x(), here.x());
        EXPECT_NEAR(east.y(), here.y(), 0.1);
    }
}

/// Frames of one series, moved and turned against each other: laid on one grid, the sky stands still from one to the other, at the
/// middle to a hundredth of a screen pixel.
TEST_F(SkyViewTest, TheSkyStandsStillFromFrameToFrame) {
    const auto first = picture();
    const stack::PixelGrid grid{*first->wcs, 400, 300};
    const auto frameOf = [&](double dx, double dy, double degrees, bool mirrored) {
        auto p = std::make_shared<Picture>(*picture(mirrored));
        auto& wcs = *p->wcs;
        wcs.referencePixel = {wcs.referencePixel.x + dx, wcs.referencePixel.y + dy};
        const double c = std::cos(degrees * kRadiansPerDegree);
        const double s = std::sin(degrees * kRadiansPerDegree);
        const auto cd = wcs.cd;
        wcs.cd = {cd[0] * c + cd[1] * s,
                  -cd[0] * s + cd[1] * c,
                  cd[2] * c + cd[3] * s,
                  -cd[2] * s + cd[3] * c};
        p->grid = grid;
        return std::shared_ptr<const Picture>(p);
    };
    const auto placeOf = [&](SkyPos sky) {
        return view.toWidget(*view.picture()->wcs->toPixel(sky));
    };
    view.setPicture(frameOf(0.0, 0.0, 0.0, false));
    view.zoomBy(3.0, QPointF(500, 200));
    const SkyPos middle =
        grid.wcs.toSky({view.toPixel(QPointF(400, 300)).x, view.toPixel(QPointF(400, 300)).y});
    const SkyPos aside = fromTangentPlane(middle, {1e-4, -5e-5});
    const QPointF before = placeOf(middle);
    const QPointF asideBefore = placeOf(aside);
    for (const auto& frame : {frameOf(30.0, -12.0, 0.0, false),
                              frameOf(0.0, 5.0, 180.0, false), // after the meridian flip
                              frameOf(-8.0, 3.0, 11.0, false)}) {
        view.setPicture(frame);
        EXPECT_LT(QLineF(placeOf(middle), before).length(), 0.01);
        EXPECT_LT(QLineF(placeOf(aside), asideBefore).length(), 0.05);
        const auto back = view.toPixel(placeOf(middle));
        const auto there = *frame->wcs->toPixel(middle);
        EXPECT_NEAR(back.x, there.x, 1e-6);
        EXPECT_NEAR(back.y, there.y, 1e-6);
    }
}

/// A body's stack is a small part of the frames' grid: it fills the view while nobody has zoomed, and the frame does again after it.
TEST_F(SkyViewTest, ASmallPictureFillsTheView) {
    const auto whole = std::make_shared<Picture>(*picture());
    whole->grid = stack::PixelGrid{*whole->wcs, 400, 300};
    auto small = std::make_shared<Picture>(*whole);
    small->values = frame::Image(60, 60, 100.0F);
    small->wcs->referencePixel = {-80.0, 10.0};
    makeDisplay(*small, {});
    view.setPicture(whole);
    const double zoom = view.zoom();
    view.setPicture(small);
    EXPECT_GT(view.zoom(), 4.0 * zoom);
    EXPECT_LT(QLineF(view.toWidget({29.5, 29.5}), QPointF(400, 300)).length(), 1.0);
    view.setPicture(whole);
    EXPECT_NEAR(view.zoom(), zoom, 1e-9);
    // By hand: the sky stands still.
    view.zoomBy(2.0, QPointF(400, 300));
    view.setPicture(small);
    EXPECT_NEAR(view.zoom(), 2.0 * zoom, 1e-9);
}

/// The value under the cursor is painted where the cursor is: the raster and the marks agree to half a pixel.
TEST_F(SkyViewTest, APixelIsPaintedWhereItsMarkWouldBe) {
    auto p = std::make_shared<Picture>();
    p->values = frame::Image(401, 301, 100.0F);
    std::mt19937 random(2);
    std::normal_distribution<float> noise(100.0F, 1.0F);
    for (float& v : p->values.pixels()) {
        v = noise(random);
    }
    p->values.at(123, 45) = 1e5F;
    p->wcs = picture()->wcs;
    makeDisplay(*p, {});
    view.setPicture(p);
    view.zoomBy(4.0, view.toWidget({123.0, 45.0}));
    const QPointF at = view.toWidget({123.0, 45.0});
    const QImage seen = view.grab().toImage();
    EXPECT_EQ(qGray(seen.pixel(at.toPoint())), 255);
    int bright = 0;
    QPointF sum;
    for (int y = -20; y <= 20; ++y) {
        for (int x = -20; x <= 20; ++x) {
            const QPoint q = at.toPoint() + QPoint(x, y);
            if (seen.valid(q) && qGray(seen.pixel(q)) == 255) {
                ++bright;
                sum += QPointF(q) + QPointF(0.5, 0.5);
            }
        }
    }
    ASSERT_GT(bright, 10);
    EXPECT_LT(QLineF(sum / bright, at).length(), 0.5);
}

TEST_F(SkyViewTest, LayersAreSwitchedOneByOne) {
    view.setPicture(picture());
    const QImage plain = view.grab().toImage();
    PathMark mark;
    mark.name = "body";
    mark.inHand = true;
    mark.predicted = {skyDegrees(100.0, 30.0), skyDegrees(100.01, 30.01)};
    view.setMarks({mark});
    const QImage marked = view.grab().toImage();
    EXPECT_NE(marked, plain);
    view.setLayerShown(SkyView::Layer::Stars, false);
    EXPECT_EQ(view.grab().toImage(), marked);
    view.setLayerShown(SkyView::Layer::Paths, false);
    EXPECT_EQ(view.grab().toImage(), plain);
    view.setLayerShown(SkyView::Layer::Paths, true);
    EXPECT_EQ(view.grab().toImage(), marked);
}

TEST_F(SkyViewTest, TheWheelZoomsAboutTheCursor) {
    const QPointF cursor(300.0, 200.0);
    const auto before = view.toPixel(cursor);
    const double zoom = view.zoom();
    QWheelEvent wheel(cursor,
                      view.mapToGlobal(cursor),
                      {},
                      {0, 240},
                      Qt::NoButton,
                      Qt::NoModifier,
                      Qt::NoScrollPhase,
                      false);
    QCoreApplication::sendEvent(&view, &wheel);
    EXPECT_GT(view.zoom(), 1.2 * zoom);
    EXPECT_NEAR(view.toPixel(cursor).x, before.x, 1e-6);
    EXPECT_NEAR(view.toPixel(cursor).y, before.y, 1e-6);
}

TEST_F(SkyViewTest, DraggingMovesTheSkyWithTheHand) {
    const auto held = view.toPixel(QPointF(400, 300));
    QTest::mousePress(&view, Qt::LeftButton, {}, QPoint(400, 300));
    QTest::mouseMove(&view, QPoint(450, 320));
    QTest::mouseRelease(&view, Qt::LeftButton, {}, QPoint(450, 320));
    const auto now = view.toPixel(QPointF(450, 320));
    EXPECT_NEAR(now.x, held.x, 1e-6);
    EXPECT_NEAR(now.y, held.y, 1e-6);
}

TEST_F(SkyViewTest, TheCursorTellsPixelValueAndPlace) {
    QSignalSpy said(&view, &SkyView::cursorText);
    QTest::mouseMove(&view, view.toWidget({120.0, 80.0}).toPoint());
    ASSERT_FALSE(said.isEmpty());
    const QString text = said.last().at(0).toString();
    EXPECT_TRUE(text.contains("777.0")) << text.toStdString();
    EXPECT_TRUE(text.contains("RA 06 4")) << text.toStdString();
    // FITS counts from 1.
    EXPECT_NEAR(text.section(' ', 1, 1).toDouble(), 121.0, 0.6);
}

} // namespace
} // namespace pathmark::desk
