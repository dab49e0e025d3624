#include "bench/desk/timed_application.h"
#include "core/frame/fits_file.h"
#include "core/night/frame_picture.h"
#include "core/night/night_file.h"
#include "desk/session/picture.h"
#include "desk/sky/sky_view.h"
#include "desk/window/main_window.h"

#include <QElapsedTimer>

#include <benchmark/benchmark.h>
#include <fmt/format.h>
#include <sys/resource.h>

#include <algorithm>
#include <filesystem>
#include <limits>
#include <random>
#include <utility>

// The window on a night of 300 frames and 3000 measurements of 10 bodies among 30: what it costs the window's own thread.
namespace {

using namespace pathmark;
using bench::application;
using bench::threadSeconds;
using bench::TimedApplication;
namespace fs = std::filesystem;

constexpr int kFrames = 300;
constexpr int kMeasuredBodies = 10;
constexpr int kBodies = 30;

frame::Wcs someWcs(int width, int height) {
    frame::Wcs wcs;
    wcs.referenceSky = skyDegrees(100.0, 20.0);
    wcs.referencePixel = {0.5 * width, 0.5 * height};
    const double s = Angle::arcsec(1.0).radians();
    wcs.cd = {-s, 1e-3 * s, 1e-3 * s, s};
    return wcs;
}

/// A night that was run; its calibrated frames have no pixels, or are all the same file of that size.
class NightOnDisk {
  public:
    NightOnDisk(const std::string& name, int width, int height, bool hasPixels)
        : folder_(fs::temp_directory_path() / name) {
        fs::remove_all(folder_);
        fs::create_directories(folder_ / "results");
        auto file = night::NightFile::open(path());
        const Utc start = parseUtc("2034-03-17T20:00:00").value();
        std::vector<frame::FrameInfo> frames;
        std::map<night::FrameId, night::SeriesId> seriesOf;
        for (int i = 0; i < kFrames; ++i) {
            night::LightRecord light;
            light.frame = night::FrameId(fmt::format("{:064x}", i));
            light.raw = folder_ / fmt::format("light_{:03}.fits", i);
            light.calibrated = folder_ / "results" / fmt::format("light_{:03}.fits", i);
            light.series = night::SeriesId("one");
            light.seriesTitle = "60 s R";
            light.middle = start.plusSeconds(70.0 * i);
            light.exposureSeconds = 60.0;
            light.width = width;
            light.height = height;
            light.wcs = someWcs(width, height);
            light.fwhmPixels = 3.0 + 0.01 * (i % 17);
            light.skyElectrons = 400.0;
            light.noiseElectrons = 20.0;
            light.sources = 900;
            lights_.push_back(light);
            frame::FrameInfo info;
            info.path = light.raw;
            info.id = light.frame;
            info.kind = frame::FrameKind::Light;
            info.width = width;
            info.height = height;
            info.exposureSeconds = 60.0;
            info.midExposure = light.middle;
            frames.push_back(info);
            seriesOf[info.id] = light.series;
        }
        if (hasPixels) {
            linkPixels(width, height);
        }
        addBodies();
        const bool stored =
            file && file->replaceFrames(frames, seriesOf) && file->replaceLights(lights_) &&
            file->replacePredictions(predictions_) && file->replaceMeasurements(measurements_);
        fits_ = stored;
    }

    ~NightOnDisk() { fs::remove_all(folder_); }

    NightOnDisk(const NightOnDisk&) = delete;
    NightOnDisk& operator=(const NightOnDisk&) = delete;

    [[nodiscard]] fs::path path() const { return folder_ / "results" / "night.pmnight"; }

    [[nodiscard]] bool isThere() const { return fits_; }

  private:
    void linkPixels(int width, int height) {
        frame::Image image(width, height);
        std::mt19937 random(1);
        std::normal_distribution<float> noise(400.0F, 20.0F);
        for (float& v : image.pixels()) {
            v = noise(random);
        }
        const fs::path one = folder_ / "results" / "pixels.fits";
        if (frame::writeFits(one, image, {})) {
            for (const auto& light : lights_) {
                fs::create_hard_link(one, light.calibrated);
            }
        }
    }

    void addBodies() {
        for (int b = 0; b < kBodies; ++b) {
            const auto body = orbit::BodyId::of(fmt::format("({})", 2900000 + b));
            for (const auto& light : lights_) {
                night::PredictionRecord p;
                p.body = body;
                p.frame = light.frame;
                p.file = light.raw;
                p.time = light.middle;
                const double along = light.middle.secondsSince(lights_.front().middle) / 86400.0;
                p.sky = skyDegrees(100.0 - 0.1 + 0.01 * b + 0.2 * along, 19.9 + 0.006 * b);
                p.magnitude = 17.0;
                p.snr = 12.0;
                predictions_.push_back(p);
                if (b < kMeasuredBodies) {
                    night::MeasurementRecord m;
                    m.body = body;
                    m.frame = light.frame;
                    m.picture = light.calibrated;
                    m.id = night::measurementId(body, {light.frame});
                    m.time = light.middle;
                    m.seen = true;
                    m.sky = p.sky;
                    m.predicted = p.sky;
                    m.raErrorArcsec = m.decErrorArcsec = 0.1;
                    m.magnitude = 17.0;
                    m.band = "R";
                    m.snr = 12.0;
                    measurements_.push_back(m);
                }
            }
        }
    }

    fs::path folder_;
    std::vector<night::LightRecord> lights_;
    std::vector<night::PredictionRecord> predictions_;
    std::vector<night::MeasurementRecord> measurements_;
    bool fits_ = false;
};

NightOnDisk& theNight() {
    static NightOnDisk night("pathmark-bench-night", 1600, 1200, false);
    return night;
}

template <class F>
bool waitFor(F done, int milliseconds = 60000) {
    QElapsedTimer timer;
    timer.start();
    while (!done() && timer.elapsed() < milliseconds) {
        QCoreApplication::processEvents(QEventLoop::AllEvents, 5);
    }
    return done();
}

void showNight(desk::MainWindow& window, const NightOnDisk& night) {
    window.resize(1280, 800);
    window.show();
    window.openNight(QString::fromStdString(night.path().string()));
}

/// From nothing to the night on the window, with everything laid out and painted.
void BM_Start(benchmark::State& state) {
    application();
    theNight(); // is made before the clock runs
    for (auto _ : state) {
        desk::MainWindow window;
        showNight(window, theNight());
        if (!theNight().isThere() ||
            !waitFor([&] { return window.session().night() != nullptr; })) {
            state.SkipWithError("no night");
            break;
        }
        QCoreApplication::processEvents();
    }
    state.counters["limit_ms"] = 1000;
}

/// One measurement parked, or the keys' way back: the window's own thread until all is shown and stored.
void BM_Decision(benchmark::State& state) {
    application();
    desk::MainWindow window;
    showNight(window, theNight());
    auto& session = window.session();
    if (!waitFor([&] { return session.night() != nullptr; })) {
        state.SkipWithError("no night");
        return;
    }
    window.commands().trigger(QString("stage.%1").arg(state.range(0)));
    session.setBody(orbit::BodyId::of("(2900000)"));
    waitFor([] { return false; }, 300);
    const auto measurements = session.currentMeasurements();
    std::size_t i = 0;
    std::vector<double> spent;
    for (auto _ : state) {
        const auto& m = measurements[i % measurements.size()];
        const auto wanted = i / measurements.size() % 2 == 0 ? night::MeasurementState::Parked
                                                             : night::MeasurementState::Kept;
        ++i;
        const double before = threadSeconds();
        session.judge(m.id, wanted);
        QCoreApplication::processEvents();
        const double seconds = threadSeconds() - before;
        spent.push_back(seconds);
        state.SetIterationTime(seconds);
        session.finishStoring();
        QCoreApplication::processEvents();
    }
    // A machine that stalls adds tenths of a second to some of them, which no mean survives.
    std::sort(spent.begin(), spent.end());
    state.counters["median_ms"] = 1000.0 * spent[spent.size() / 2];
    state.counters["limit_ms"] = 5;
}

/// A walk through the night's rooms, bodies, frames and views by its commands: the longest that the window's thread is busy without
/// seeing to anything else, which is an error above the limit. A machine that stalls for a moment lengthens any step, what our own code
/// takes comes back: of each step the shortest over three walks counts, or over more where one was too long. Another theme is measured by
/// itself, and no error: it makes the look of every widget anew, which a machine half as fast does in 60 ms.
void BM_Walk(benchmark::State& state) {
    TimedApplication& timed = application();
    desk::MainWindow window;
    showNight(window, theNight());
    if (!waitFor([&] { return window.session().night() != nullptr; })) {
        state.SkipWithError("no night");
        return;
    }
    std::vector<QString> steps;
    if (state.range(0) == 0) {
        steps.emplace_back("window.theme");
    }
    for (int stage = 1; stage <= static_cast<int>(state.range(0)); ++stage) {
        steps.push_back(QString("stage.%1").arg(stage));
        for (const char* id : {"body.next",
                               "frame.next",
                               "frame.last",
                               "frame.first",
                               "body.previous",
                               "sky.centre",
                               "sky.whole",
                               "report.text"}) {
            steps.emplace_back(id);
        }
    }
    constexpr double limitSeconds = 0.05;
    constexpr int fewest = 3;
    constexpr int most = 12;
    std::vector<double> shortest(steps.size(), std::numeric_limits<double>::infinity());
    auto longest = shortest.begin();
    for (auto _ : state) {
        const auto isTooLong = [&] { return *longest > limitSeconds; };
        for (int walk = 0; walk < fewest || (walk < most && isTooLong()); ++walk) {
            for (std::size_t i = 0; i < steps.size(); ++i) {
                timed.takeLongest();
                timed.time([&] { window.commands().trigger(steps[i]); });
                waitFor([] { return false; }, 30);
                shortest[i] = std::min(shortest[i], timed.takeLongest());
            }
            longest = std::max_element(shortest.begin(), shortest.end());
        }
    }
    const QString& step = steps[static_cast<std::size_t>(longest - shortest.begin())];
    state.SetLabel(step.toStdString());
    state.counters["longest_ms"] = 1e3 * *longest;
    state.counters["limit_ms"] = 1e3 * limitSeconds;
    if (state.range(0) > 0 && *longest > limitSeconds) {
        state.SkipWithError(("the window was busy too long: " + step).toStdString().c_str());
    }
}

/// A picture of 26 megapixels with paths over it.
std::shared_ptr<const desk::Picture> largePicture() {
    static const auto known = [] {
        auto picture = std::make_shared<desk::Picture>();
        picture->values = frame::Image(6248, 4176);
        std::mt19937 random(1);
        std::normal_distribution<float> noise(100.0F, 10.0F);
        for (float& v : picture->values.pixels()) {
            v = noise(random);
        }
        picture->wcs = someWcs(6248, 4176);
        makeDisplay(*picture, {});
        return picture;
    }();
    return known;
}

std::vector<desk::PathMark> somePaths() {
    std::vector<desk::PathMark> marks;
    for (int b = 0; b < kBodies; ++b) {
        desk::PathMark mark;
        mark.name = QString("(%1)").arg(2900000 + b);
        mark.inHand = b == 0;
        for (int i = 0; i < kFrames; ++i) {
            mark.predicted.push_back(
                skyDegrees(100.0 - 0.5 + 0.03 * b + 0.0005 * i, 19.6 + 0.02 * b));
        }
        marks.push_back(mark);
    }
    return marks;
}

/// Zooming in and out and panning over 26 megapixels, each step painted.
void BM_ZoomAndPan(benchmark::State& state) {
    application();
    desk::SkyView view;
    view.resize(static_cast<int>(state.range(0)), static_cast<int>(state.range(1)));
    view.setPicture(largePicture());
    view.setMarks(somePaths());
    view.show();
    QImage screen(view.size(), QImage::Format_RGB32);
    int step = 0;
    double worst = 0.0;
    for (auto _ : state) {
        QElapsedTimer timer;
        timer.start();
        const bool in = step++ % 40 < 20;
        view.zoomBy(in ? 1.2 : 1.0 / 1.2, QPointF(0.3 * view.width(), 0.4 * view.height()));
        view.render(&screen);
        worst = std::max(worst, 1e-6 * static_cast<double>(timer.nsecsElapsed()));
    }
    state.counters["worst_ms"] = worst;
    state.counters["limit_ms"] = 16;
}

/// A frame that was read ahead comes on the screen.
void BM_NextFrame(benchmark::State& state) {
    application();
    desk::SkyView view;
    view.resize(1280, 800);
    view.show();
    QImage screen(view.size(), QImage::Format_RGB32);
    const auto one = largePicture();
    const auto other = std::make_shared<const desk::Picture>(*one);
    const auto marks = somePaths();
    bool first = true;
    for (auto _ : state) {
        view.setPicture(first ? one : other);
        view.setMarks(marks);
        view.render(&screen);
        first = !first;
    }
    state.counters["limit_ms"] = 50;
}

/// The hand steps four times a second through a night of 300 frames of 26 megapixels: from the key to the picture, and the memory that
/// the window takes at most.
void BM_StepThroughLargeNight(benchmark::State& state) {
    application();
    const NightOnDisk night("pathmark-bench-large", 6248, 4176, true);
    desk::MainWindow window;
    showNight(window, night);
    auto& session = window.session();
    int shown = 0;
    QObject::connect(&session, &desk::NightSession::pictureChanged, &window, [&] { ++shown; });
    if (!waitFor([&] { return shown > 0; })) {
        state.SkipWithError("no picture");
        return;
    }
    waitFor([] { return false; }, 2000);
    constexpr int steps = 60;
    double worst = 0.0;
    double sum = 0.0;
    for (auto _ : state) {
        for (int i = 0; i < steps; ++i) {
            const int before = shown;
            QElapsedTimer timer;
            timer.start();
            session.step(1);
            waitFor([&] { return shown > before; });
            const double milliseconds = 1e-6 * static_cast<double>(timer.nsecsElapsed());
            worst = std::max(worst, milliseconds);
            sum += milliseconds;
            waitFor([] { return false; }, std::max(1, 250 - static_cast<int>(milliseconds)));
        }
        state.SetIterationTime(1e-3 * sum / steps);
    }
    rusage usage{};
    getrusage(RUSAGE_SELF, &usage);
    state.counters["worst_ms"] = worst;
    state.counters["limit_ms"] = 50;
    state.counters["peak_MB"] = static_cast<double>(usage.ru_maxrss) / 1024.0;
    state.counters["limit_MB"] = 4096;
}

BENCHMARK(BM_StepThroughLargeNight)->Iterations(1)->Unit(benchmark::kMillisecond)->UseManualTime();
BENCHMARK(BM_Start)->Unit(benchmark::kMillisecond)->UseRealTime();
BENCHMARK(BM_Decision)
    ->ArgName("stage")
    ->DenseRange(1, 7)
    ->Unit(benchmark::kMillisecond)
    ->UseManualTime();
BENCHMARK(BM_Walk)
    ->ArgName("stages")
    ->Arg(7)
    ->Arg(0)
    ->Iterations(1)
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();
BENCHMARK(BM_ZoomAndPan)
    ->ArgNames({"width", "height"})
    ->Args({1280, 800})
    ->Args({3840, 2160})
    ->Unit(benchmark::kMillisecond)
    ->UseRealTime();
BENCHMARK(BM_NextFrame)->Unit(benchmark::kMillisecond)->UseRealTime();

} // namespace
