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
