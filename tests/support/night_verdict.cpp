#include "tests/support/night_verdict.h"

#include "core/frame/fits_file.h"
#include "core/frame/wcs.h"
#include "simulate/body_motion.h"
#include "simulate/catalogue.h"
#include "simulate/exposure.h"
#include "tests/support/shell.h"
#include "tests/support/table_rows.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <cstdlib>
#include <map>
#include <optional>
#include <set>
#include <sstream>

namespace pathmark::test_support {
namespace {

namespace fs = std::filesystem;
using simulate::BodyScenario;
using simulate::Exposure;
using simulate::RaDec;

constexpr double kWrongSigmas = 5.0;
/// Beyond so many pixels a solution is of another place.
constexpr double kWrongPixels = 1.0;

/// A light as it was made.
struct TrueLight {
    std::string file;
    const simulate::SeriesScenario* series = nullptr;
    std::size_t seriesNumber = 0;
    Exposure exposure;
};

/// Arcseconds from b to a along both axes of the sky.
std::pair<double, double> offset(const RaDec& a, const RaDec& b) {
    const double ra = std::remainder(a.raDegrees - b.raDegrees, 360.0);
    return {3600.0 * ra * std::cos(b.decDegrees * kRadiansPerDegree),
            3600.0 * (a.decDegrees - b.decDegrees)};
}

std::string bareName(std::string name) {
    std::erase_if(name, [](char c) { return c == '(' || c == ')'; });
    return name;
}

class Judge {
  public:
    Judge(const simulate::OddNight& night,
          std::vector<simulate::FaultDone> faults,
          fs::path out,
          NightVerdict& verdict)
        : night_(night), faults_(std::move(faults)), out_(std::move(out)), verdict_(verdict) {
        const auto& series = night_.scenario.series;
        for (std::size_t s = 0; s < series.size(); ++s) {
            for (int i = 0; i < series[s].count; ++i) {
                lights_.push_back({fmt::format("{}_{:03}.fits", series[s].name, i + 1),
                                   &series[s],
                                   s,
                                   simulate::exposureOf(night_.scenario, s, i)});
            }
        }
        verdict_.lights = static_cast<int>(lights_.size());
    }

    void judge(int status, const std::string& output, const std::string& messages) {
        const auto json = nlohmann::json::parse(output, nullptr, false);
        if (status < 0 || status > 1 || json.is_discarded()) {
            wrong(fmt::format("ended with {}: {}",
                              status,
                              messages.substr(0, std::min<std::size_t>(300, messages.size()))));
            return;
        }
        judgeWords(output + messages + contentOf(out_ / "summary.json"));
        judgeSolutions();
        judgeReport();
        judgeCandidates();
        judgeReach();
    }

  private:
    void wrong(const std::string& words) { verdict_.wrong.push_back(words); }

    [[nodiscard]] bool isUnusable(const std::string& file) const {
        return std::any_of(faults_.begin(), faults_.end(), [&](const auto& f) {
            return f.isUnusable && f.file == file;
        });
    }

    void judgeWords(const std::string& said) {
        // Each frame is named in the list of frames; a fault is said where a reason stands beside the name.
        const auto summary =
            nlohmann::json::parse(contentOf(out_ / "summary.json"), nullptr, false);
        for (const auto& fault : faults_) {
            if (!fault.mustBeSaid) {
                continue;
            }
            bool isSaid = false;
            std::istringstream stream(said);
            for (std::string line; std::getline(stream, line) && !isSaid;) {
                // A message of the command, not a path in the list of what was made.
                isSaid = line.find(fault.file) != std::string::npos &&
                         line.find("\"calibrated\"") == std::string::npos &&
                         line.find("\"file\"") == std::string::npos;
            }
            if (summary.is_object()) {
                for (const auto& failure : summary.value("failures", nlohmann::json::array())) {
                    isSaid |= failure.value("file", "").find(fault.file) != std::string::npos;
                }
            }
            if (!isSaid) {
                wrong(fmt::format("not said: {} of {}", wordOf(fault.fault), fault.file));
            }
        }
    }

    void judgeSolutions() {
        for (const TrueLight& light : lights_) {
            const auto header = frame::readFitsHeader(out_ / "calibrated" / light.file);
            if (!header || !header->text("CTYPE1")) {
                if (!isUnusable(light.file)) {
                    verdict_.lost.push_back("not solved: " + light.file);
                }
                continue;
            }
            const auto wcs = frame::readWcs(*header);
            if (!wcs) {
                wrong("a solution that cannot be read: " + light.file);
                continue;
            }
            ++verdict_.solved;
            // A last cell that is not whole is no pixel of a sum.
            const double scale = 1.0 / std::round(night_.scenario.cameras.front().width /
                                                  header->number("NAXIS1").value_or(1.0));
            const double error = solutionError(light, *wcs, scale);
            if (error > kWrongPixels) {
                wrong(fmt::format("solution of {} {:.2f} px out", light.file, error));
            } else {
                verdict_.solutionPixels.push_back(error);
            }
        }
    }

    /// Root mean square over the frame, pixels of the camera.
    double solutionError(const TrueLight& light, const frame::Wcs& wcs, double scale) const {
        const auto& camera = night_.scenario.cameras.front();
        const double margin = 0.5;
        const Vec3 axis = light.exposure.optics.axis;
        const auto [east, north] = simulate::axesAt(axis);
        double sum = 0.0;
        int count = 0;
        for (int j = -6; j <= 6; ++j) {
            for (int i = -6; i <= 6; ++i) {
                const double step = light.exposure.optics.arcsecPerPixel * kRadiansPerDegree /
                                    3600.0 * camera.width / 12.0;
                const Vec3 v = axis + (i * step) * east + (j * step) * north;
                const auto truth = light.exposure.optics.place((1.0 / norm(v)) * v);
                if (!truth || truth->x < -margin || truth->y < -margin ||
                    truth->x > camera.width - margin || truth->y > camera.height - margin) {
                    continue;
                }
                const RaDec sky = simulate::toRaDec((1.0 / norm(v)) * v);
                const auto p = wcs.toPixel(skyDegrees(sky.raDegrees, sky.decDegrees));
                if (!p) {
                    return 1e9;
                }
                const double x = (p->x + 0.5) / scale - 0.5;
                const double y = (p->y + 0.5) / scale - 0.5;
                sum += std::pow(x - truth->x, 2.0) + std::pow(y - truth->y, 2.0);
                ++count;
            }
        }
        return std::sqrt(sum / std::max(1, count));
    }

    void judgeReport() {
        std::set<std::string> seen;
        for (const Row& row : rowsOf(contentOf(out_ / "report.psv"), '|', "obsTime")) {
            ++verdict_.observations;
            const std::string name = !textOf(row, "permID").empty()   ? textOf(row, "permID")
                                     : !textOf(row, "provID").empty() ? textOf(row, "provID")
                                                                      : textOf(row, "trkSub");
            const std::string stamp = textOf(row, "obsTime");
            const std::string what = fmt::format("{} at {}", name, stamp);
            if (!seen.insert(what).second) {
                wrong("reported twice: " + what);
            }
            const auto body = std::find_if(night_.scenario.bodies.begin(),
                                           night_.scenario.bodies.end(),
                                           [&](const auto& b) { return bareName(b.name) == name; });
            if (body == night_.scenario.bodies.end()) {
                wrong("reported, but nobody's: " + what);
                continue;
            }
            judgeObservation(row, *body, what, *parseUtc(stamp));
            reported_.insert(body->name);
        }
    }

    void judgeObservation(const Row& row,
                          const BodyScenario& body,
                          const std::string& what,
                          const Utc& time) {
        const auto sight = simulate::seeBody(body, night_.scenario.site, time);
        const RaDec truth = simulate::toRaDec(sight.direction);
        const RaDec measured{*numberOf(row, "ra"), *numberOf(row, "dec")};
        const auto [x, y] = offset(measured, truth);
        const double chiX = x / *numberOf(row, "rmsRA");
        const double chiY = y / *numberOf(row, "rmsDec");
        verdict_.chiSquare += chiX * chiX + chiY * chiY;
        if (std::hypot(chiX, chiY) > kWrongSigmas * 1.2 ||
            std::max(std::abs(chiX), std::abs(chiY)) > kWrongSigmas) {
            wrong(fmt::format(
                "{}: off by {:+.2f}\" {:+.2f}\", {:+.1f} {:+.1f} sigma", what, x, y, chiX, chiY));
        }
        for (const TrueLight& light : lights_) {
            if (isUnusable(light.file) &&
                std::abs(time.secondsSince(light.exposure.middle)) < 0.5 &&
                textOf(row, "remarks").find("stack") == std::string::npos) {
                wrong("measured in a frame that cannot be used: " + what);
            }
        }
        const auto magnitude = numberOf(row, "mag");
        if (!magnitude || body.m1) {
            return;
        }
        const std::string band = textOf(row, "band");
        const std::string known = band == "V" || band == "R" ? band : "G";
        const double expected = simulate::bodyMagnitude(sight.magnitudeV, known);
        const double chi = (*magnitude - expected) / std::hypot(*numberOf(row, "rmsMag"), 0.01);
        verdict_.magnitudeChi.push_back(chi);
        if (std::abs(chi) > 2.0 * kWrongSigmas) {
            wrong(fmt::format("{}: magnitude {:.2f} {} for {:.2f}, {:+.1f} sigma",
                              what,
                              *magnitude,
                              band,
                              expected,
                              chi));
        }
    }

    /// The body nearest to a place at a time, if within so many pixels.
    [[nodiscard]] const BodyScenario*
    bodyAt(const RaDec& place, const Utc& time, double pixels) const {
        const BodyScenario* found = nullptr;
        double least = pixels * lights_.front().exposure.optics.arcsecPerPixel;
        for (const BodyScenario& body : night_.scenario.bodies) {
            const auto [x, y] = offset(
                place,
                simulate::toRaDec(simulate::seeBody(body, night_.scenario.site, time).direction));
            if (std::hypot(x, y) < least) {
                least = std::hypot(x, y);
                found = &body;
            }
        }
        return found;
    }

    void judgeCandidates() {
        std::map<std::string, std::pair<int, int>> hits; // rows with a place, of these on a body
        for (const Row& row : rowsOf(contentOf(out_ / "measurements.csv"), ',', "time_utc")) {
            const std::string name = textOf(row, "body");
            const bool isKnown = std::any_of(night_.scenario.bodies.begin(),
                                             night_.scenario.bodies.end(),
                                             [&](const auto& b) { return b.name == name; });
            const auto ra = numberOf(row, "ra_deg");
            const auto dec = numberOf(row, "dec_deg");
            if (isKnown || !ra || !dec) {
                continue;
            }
            auto& [rows, onBody] = hits[name];
            ++rows;
            if (const BodyScenario* body =
                    bodyAt({*ra, *dec}, *parseUtc(textOf(row, "time_utc")), 3.0)) {
                ++onBody;
                candidates_.insert(body->name);
            }
        }
        for (const auto& [name, count] : hits) {
            if (2 * count.second < count.first) {
                wrong(fmt::format(
                    "candidate {} is nothing ({} of {} places)", name, count.second, count.first));
            }
        }
    }

    /// Bodies that three frames or more show well should be reported where their orbits have them, unknown ones listed
    /// that moved on by three widths of a star.
    void judgeReach() {
        constexpr double searched = 4.0; // arcsec; the recipe's own is 5
        constexpr double widths = 3.0;
        for (const BodyScenario& body : night_.scenario.bodies) {
            const TrueLight* first = nullptr;
            const TrueLight* last = nullptr;
            int good = 0;
            for (const TrueLight& light : lights_) {
                if (!isUnusable(light.file) && snrIn(light, body) > 8.0) {
                    ++good;
                    first = first == nullptr ? &light : first;
                    last = &light;
                }
            }
            if (good < 3 || (body.known && night_.orbitErrorArcsec > searched)) {
                continue;
            }
            const double travel =
                206264.806 * norm(directionOf(body, *last) - directionOf(body, *first));
            const double minutes =
                last->exposure.middle.secondsSince(first->exposure.middle) / 60.0;
            const double drawn = travel / minutes * first->exposure.seconds / 60.0;
            // The recipe looks for motions up to 8 arcsec a minute, among what is nearly a point.
            if (!body.known &&
                (travel < widths * first->series->fwhmArcsec || travel / minutes > 7.5 ||
                 drawn > 2.0 * first->series->fwhmArcsec)) {
                continue;
            }
            ++verdict_.bodies;
            if (reported_.contains(body.name) || candidates_.contains(body.name)) {
                ++verdict_.reported;
            } else {
                verdict_.lost.push_back(
                    fmt::format("{} not found in {} good frames", body.name, good));
            }
        }
    }

    [[nodiscard]] Vec3 directionOf(const BodyScenario& body, const TrueLight& light) const {
        return simulate::seeBody(body, night_.scenario.site, light.exposure.middle).direction;
    }

    /// Signal-to-noise of a body in a light, 0 outside and at its edge.
    [[nodiscard]] double snrIn(const TrueLight& light, const BodyScenario& body) const {
        const auto& camera = night_.scenario.cameras.front();
        const auto sight = simulate::seeBody(body, night_.scenario.site, light.exposure.middle);
        const auto p = light.exposure.optics.place(sight.direction);
        if (!p || p->x < 8.0 || p->y < 8.0 || p->x > camera.width - 9.0 ||
            p->y > camera.height - 9.0) {
            return 0.0;
        }
        const double magnitude = simulate::bodyMagnitude(sight.magnitudeV, light.series->band);
        const double electrons =
            light.exposure.electronsOf(camera, magnitude, simulate::kBodyColour);
        const double area = std::pow(light.exposure.optics.arcsecPerPixel, 2.0);
        const double sky = light.exposure.seconds * area *
                           std::pow(10.0, 0.4 * (camera.zeroPoint - light.series->skyMag));
        const double from =
            norm(simulate::seeBody(body, night_.scenario.site, light.exposure.start).direction -
                 sight.direction) *
            2.0 * 206264.806 / light.exposure.optics.arcsecPerPixel;
        const double width = light.exposure.blur.fwhm;
        const double pixels = 2.27 * width * width * (1.0 + from / width) + 3.0;
        const double noise2 =
            pixels * (sky + camera.readNoiseElectrons * camera.readNoiseElectrons);
        return electrons / std::sqrt(noise2 + electrons);
    }

    const simulate::OddNight& night_;
    std::vector<simulate::FaultDone> faults_;
    fs::path out_;
    NightVerdict& verdict_;
    std::vector<TrueLight> lights_;
    std::set<std::string> reported_;
    std::set<std::string> candidates_;
};

} // namespace

NightVerdict
liveOddNight(const simulate::OddNight& night, const fs::path& folder, const std::string& program) {
    NightVerdict verdict;
    const auto start = std::chrono::steady_clock::now();
    const fs::path home = folder / "night";
    auto faults = simulate::writeOddNight(night, home);
    if (!faults) {
        verdict.wrong.push_back("the night cannot be made: " + toMessage(faults.error()));
        return verdict;
    }
    const std::string import =
        fmt::format("'{0}' catalog import --store '{1}/catalog' --name stars "
                    "'{1}/catalog/stars.csv' --quiet >/dev/null 2>'{2}/import.txt'",
                    program,
                    home.string(),
                    folder.string());
    if (runLine(import) != 0) {
        verdict.wrong.push_back("the stars cannot be imported: " +
                                contentOf(folder / "import.txt"));
        return verdict;
    }
    const fs::path out = folder / "out";
    const int status = runLine(
        fmt::format("timeout 300 '{0}' run '{1}' --recipe '{1}/recipe.toml' --out '{2}' --json "
                    "--threads 1 >'{3}/stdout.txt' 2>'{3}/stderr.txt'",
                    program,
                    home.string(),
                    out.string(),
                    folder.string()));
    Judge(night, std::move(*faults), out, verdict)
        .judge(status, contentOf(folder / "stdout.txt"), contentOf(folder / "stderr.txt"));
    verdict.seconds =
        std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
    return verdict;
}

} // namespace pathmark::test_support
