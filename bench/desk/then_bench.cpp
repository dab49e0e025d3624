#include "bench/desk/timed_application.h"
#include "core/night/then_picture.h"
#include "desk/session/picture.h"
#include "standin/survey_service.h"
#include "tests/support/temporary_folder.h"

#include <benchmark/benchmark.h>

#include <cmath>
#include <cstdlib>
#include <fstream>
#include <random>

namespace {

using namespace pathmark;

constexpr int kThenWidth = 6248;
constexpr int kThenHeight = 4176;

/// A turned and mirrored frame of 26 megapixels, solved.
night::LightRecord thenLight() {
    night::LightRecord light;
    light.width = kThenWidth;
    light.height = kThenHeight;
    light.wcs.emplace();
    light.wcs->referenceSky = skyDegrees(177.2, 2.4);
    light.wcs->referencePixel = {0.5 * kThenWidth, 0.5 * kThenHeight};
    const double scale = Angle::arcsec(1.06).radians();
    const double turn = 0.3;
    light.wcs->cd = {scale * std::cos(turn),
                     scale * std::sin(turn),
                     scale * std::sin(turn),
                     -scale * std::cos(turn)};
    return light;
}

std::filesystem::path thenStars(const test_support::TemporaryFolder& folder) {
    std::mt19937 random(8);
    std::uniform_real_distribution<double> off(-1.0, 1.0);
    std::uniform_real_distribution<double> mag(11.0, 20.0);
    const auto path = folder / "stars.csv";
    std::ofstream csv(path);
    csv << "source_id,ra,dec,phot_g_mean_mag,pmra,pmdec,ref_epoch\n";
    for (int i = 0; i < 20000; ++i) {
        csv << i << ',' << 177.2 + off(random) << ',' << 2.4 + off(random) << ',' << mag(random)
            << ",0,0,2016\n";
    }
    return path;
}

/// A survey of which the tiles are kept, from the wish to what the view draws.
void BM_SurveyOnAFrame_6248(benchmark::State& state) {
    bench::application();
    const test_support::TemporaryFolder folder;
    setenv("XDG_DATA_HOME", folder.path().c_str(), 1);
    standin::SurveyOptions options;
    options.stars = thenStars(folder);
    options.order = 8;
    const standin::SurveyService service(options);
    const night::LightRecord light = thenLight();
    night::ThenSource source;
    source.survey = service.address();
    const auto shown = [&]() -> std::shared_ptr<const desk::Picture> {
        const auto then = night::thenPicture(light, source, nullptr, {});
        return then ? desk::thenShown(*then, light, std::nullopt, {}) : nullptr;
    };
    if (shown() == nullptr) { // its tiles are kept from here on
        state.SkipWithError("the survey could not be read");
    }
    for (auto _ : state) {
        if (const auto picture = shown(); picture == nullptr || picture->display.isNull()) {
            state.SkipWithError("the kept tiles could not be read");
        }
    }
    state.counters["limit_ms"] = 1000;
}

BENCHMARK(BM_SurveyOnAFrame_6248)->Unit(benchmark::kMillisecond)->UseRealTime();

} // namespace
