#include "bench/desk/timed_application.h"
#include "core/night/frame_picture.h"
#include "desk/picture/histogram_view.h"
#include "desk/picture/screen_picture.h"
#include "desk/sky/sky_view.h"

#include <QTest>

#include <benchmark/benchmark.h>

#include <random>

namespace {

using namespace pathmark;

/// Sky and a few stars in three colours, as many pixels as a large camera has.
const desk::OpenPicture& joinedPicture() {
    static const desk::OpenPicture open = [] {
        desk::OpenPicture made;
        made.wcs.referenceSky = skyDegrees(100.0, 20.0);
        made.wcs.referencePixel = {3123.5, 2088.0};
        made.wcs.cd = {-5e-6, 0.0, 0.0, 5e-6};
        std::mt19937 random(3);
        std::normal_distribution<float> noise(10.0F, 4.0F);
        picture::ColourPicture planes;
        for (auto& plane : planes.planes) {
            plane = frame::Image(6248, 4176);
            for (float& v : plane.pixels()) {
                v = noise(random);
            }
            for (std::size_t k = 0; k < plane.pixels().size(); k += 7919) {
                plane.pixels()[k] += 3000.0F;
            }
        }
        made.levels.push_back(std::move(planes));
        while (made.levels.back().width() > 400) {
            picture::ColourPicture half;
            for (std::size_t c = 0; c < 3; ++c) {
                half.planes[c] = night::halved(made.levels.back().planes[c]);
            }
            made.levels.push_back(std::move(half));
        }
        made.histogram = picture::histogramOf(made.levels.front());
        made.found = picture::stretchFor(made.levels.front(), {});
        return made;
    }();
    return open;
}

/// A hand draws white along on the histogram: from the mouse to the Sky that shows it, of 26 megapixels.
void BM_PictureFollowsAHand_6248(benchmark::State& state) {
    bench::application();
    const desk::OpenPicture& open = joinedPicture();
    desk::SkyView sky;
    sky.resize(790, 680);
    sky.show();
    desk::HistogramView histogram;
    histogram.resize(320, 240);
    histogram.setHistogram(&open.histogram);
    histogram.setStretch(open.found);
    histogram.show();
    QObject::connect(
        &histogram, &desk::HistogramView::moved, &sky, [&](const picture::Stretch& stretch) {
            sky.setPicture(
                desk::screenPicture(open, stretch, desk::levelOf(open, desk::kFollowedPixels)));
        });
    const QPoint white = histogram.placeOf(desk::HistogramView::Mark::White).toPoint();
    QTest::mousePress(&histogram, Qt::LeftButton, {}, white);
    int by = 0;
    for (auto _ : state) {
        by = (by + 3) % 60;
        QTest::mouseMove(&histogram, white - QPoint(by, 0));
        QCoreApplication::processEvents();
        benchmark::DoNotOptimize(sky.grab());
    }
    QTest::mouseRelease(&histogram, Qt::LeftButton, {}, white);
    state.counters["limit_ms"] = 50;
}

BENCHMARK(BM_PictureFollowsAHand_6248)->Unit(benchmark::kMillisecond)->UseRealTime();

/// The whole of it in full size, on a worker, when the hand rests.
void BM_WholePicture_6248(benchmark::State& state) {
    bench::application();
    const desk::OpenPicture& open = joinedPicture();
    for (auto _ : state) {
        benchmark::DoNotOptimize(desk::screenPicture(open, open.found, 0));
    }
}

BENCHMARK(BM_WholePicture_6248)->Unit(benchmark::kMillisecond)->UseRealTime();

} // namespace
