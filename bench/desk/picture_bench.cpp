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
        frame::Wcs& wcs = made.linear.wcs;
        wcs.referenceSky = skyDegrees(100.0, 20.0);
        wcs.referencePixel = {3123.5, 2088.0};
        wcs.cd = {-5e-6, 0.0, 0.0, 5e-6};
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
        picture::LayeredPicture& layers = made.linear.layers;
        layers.stars = planes;
        for (auto& plane : layers.stars.planes) {
            for (float& v : plane.pixels()) {
                v = v > 1000.0F ? v - 10.0F : 0.0F;
            }
        }
        layers.whole = std::move(planes);
        layers.noise = {{4.0, 4.0, 4.0}, {0.02, 0.02, 0.02}};
        made.work();
        return made;
    }();
    return open;
}

/// A hand draws white along on the histogram: from the mouse to the Sky that shows it and the words that count what is clipped, of 26
/// megapixels; as it is, smoothed, and smoothed with its stars stretched apart.
void followAHand(benchmark::State& state, const picture::Look& start) {
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
            const picture::Ground& ground = open.histogram.ground;
            picture::Look look = start;
            look.white = (stretch.white - ground.level) / ground.noise;
            look.smoothing = start.smoothing > 0.0 ? start.smoothing + 0.001 * *look.white : 0.0;
            const std::size_t level = desk::levelOf(open, desk::kFollowedPixels);
            sky.setPicture(desk::screenPicture(open, look, level));
            benchmark::DoNotOptimize(
                picture::clippedBy(open.level(level).whole, open.stretchOf(look)));
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

void BM_PictureFollowsAHand_6248(benchmark::State& state) {
    followAHand(state, {});
}

void BM_SmoothPictureFollowsAHand_6248(benchmark::State& state) {
    picture::Look look;
    look.smoothing = 0.5;
    followAHand(state, look);
}

void BM_LayersFollowAHand_6248(benchmark::State& state) {
    picture::Look look;
    look.smoothing = 0.5;
    look.stars = picture::StarStretch();
    followAHand(state, look);
}

BENCHMARK(BM_SmoothPictureFollowsAHand_6248)->Unit(benchmark::kMillisecond)->UseRealTime();
BENCHMARK(BM_LayersFollowAHand_6248)->Unit(benchmark::kMillisecond)->UseRealTime();
BENCHMARK(BM_PictureFollowsAHand_6248)->Unit(benchmark::kMillisecond)->UseRealTime();

/// The whole of it in full size, on a worker, when the hand rests.
void BM_WholePicture_6248(benchmark::State& state) {
    bench::application();
    const desk::OpenPicture& open = joinedPicture();
    for (auto _ : state) {
        benchmark::DoNotOptimize(desk::screenPicture(open, {}, 0));
    }
}

BENCHMARK(BM_WholePicture_6248)->Unit(benchmark::kMillisecond)->UseRealTime();

} // namespace
