#include "simulate/sky_files.h"

#include "core/base/atomic_file.h"
#include "core/base/sexagesimal.h"
#include "simulate/body_motion.h"
#include "simulate/optics.h"

#include <erfa.h>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <cmath>
#include <set>

namespace pathmark::simulate {
namespace {

constexpr std::string_view kBase62 =
    "0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz";

double semiMajor(const BodyScenario& b) {
    return b.perihelionAu / (1.0 - b.eccentricity);
}

/// "K343K" for 2034 March 20; epochs of one-line orbits are midnights.
std::string packedEpoch(double julian) {
    int year = 0;
    int month = 0;
    int day = 0;
    double rest = 0.0;
    eraJd2cal(julian, 0.0, &year, &month, &day, &rest);
    return fmt::format("{}{:02}{}{}",
                       kBase62[static_cast<std::size_t>(year / 100)],
                       year % 100,
                       kBase62[static_cast<std::size_t>(month)],
                       kBase62[static_cast<std::size_t>(day)]);
}

std::string oneLine(const BodyScenario& b) {
    const double a = semiMajor(b);
    return fmt::format(
        "{:<7} {:5.2f} {:5.2f} {} {:9.5f}  {:9.5f}  {:9.5f}  {:9.5f}  {:9.7f} {:11.8f} "
        "{:11.7f}  2 E2034-A01    52   5 2024-2033 0.40 M-v 3Eh PATHMARK   0000 {:<27} "
        "20331201\n",
        b.packed,
        b.h,
        b.g,
        packedEpoch(b.epochJulian),
        b.meanAnomalyDegrees,
        b.argumentDegrees,
        b.nodeDegrees,
        b.inclinationDegrees,
        b.eccentricity,
        kGauss / (a * std::sqrt(a)) / kRadiansPerDegree,
        a,
        b.name);
}

/// Julian date of the perihelion passage nearest the epoch.
double perihelionJulian(const BodyScenario& b) {
    const double a = semiMajor(b);
    return b.epochJulian - std::remainder(b.meanAnomalyDegrees, 360.0) * kRadiansPerDegree *
                               (a * std::sqrt(a)) / kGauss;
}

std::string cometLine(const BodyScenario& b) {
    int year = 0;
    int month = 0;
    int day = 0;
    double rest = 0.0;
    eraJd2cal(perihelionJulian(b), 0.0, &year, &month, &day, &rest);
    int epochYear = 0;
    int epochMonth = 0;
    int epochDay = 0;
    double ignored = 0.0;
    eraJd2cal(b.epochJulian, 0.0, &epochYear, &epochMonth, &epochDay, &ignored);
    return fmt::format("{:>12}  {:04} {:02} {:7.4f} {:9.6f}  {:8.6f}  {:8.4f}  {:8.4f}  {:8.4f}  "
                       "{:04}{:02}{:02}  {:4.1f} {:4.1f}  {:<56}\n",
                       b.packed,
                       year,
                       month,
                       day + rest,
                       b.perihelionAu,
                       b.eccentricity,
                       b.argumentDegrees,
                       b.nodeDegrees,
                       b.inclinationDegrees,
                       epochYear,
                       epochMonth,
                       epochDay,
                       *b.m1,
                       b.k1 / 2.5,
                       b.name);
}

/// A body somewhere on the other side of the sky.
BodyScenario extraBody(const NoiseHash& hash, std::uint64_t i, double epoch) {
    BodyScenario b;
    const long long number = 3'000'000LL + 211LL * static_cast<long long>(i);
    b.name = fmt::format("({})", number);
    long long rest = number - 620000;
    b.packed = "~0000";
    for (std::size_t k = 4; k >= 1; --k) {
        b.packed[k] = kBase62[static_cast<std::size_t>(rest % 62)];
        rest /= 62;
    }
    const double a = 2.1 + 1.2 * hash.uniform(i, 0);
    b.eccentricity = 0.02 + 0.25 * hash.uniform(i, 1);
    b.perihelionAu = a * (1.0 - b.eccentricity);
    b.inclinationDegrees = 20.0 * hash.uniform(i, 2);
    b.nodeDegrees = 360.0 * hash.uniform(i, 3);
    b.argumentDegrees = 360.0 * hash.uniform(i + 9000, 0);
    b.meanAnomalyDegrees = 360.0 * hash.uniform(i + 9000, 1);
    b.h = 14.0 + 5.0 * hash.uniform(i + 9000, 2);
    b.epochJulian = epoch;
    return b;
}

} // namespace

Result<bool> writeCatalogue(const Scenario& scenario,
                            const std::vector<SimStar>& stars,
                            const std::filesystem::path& path) {
    const NoiseHash hash = NoiseHash(scenario.seed).child(900);
    std::string text = "source_id,ra,dec,ra_error,dec_error,parallax,pmra,pmdec,phot_g_mean_mag,"
                       "phot_bp_mean_mag,phot_rp_mean_mag,ruwe,ref_epoch\n";
    for (std::size_t i = 0; i < stars.size(); ++i) {
        const SimStar& s = stars[i];
        const double error = 0.03 * std::pow(10.0, 0.2 * std::max(0.0, s.magG - 14.0));
        const double mas = 1.0 / 3.6e6;
        const double magError = 0.002 + 0.001 * std::pow(10.0, 0.3 * std::max(0.0, s.magG - 16.0));
        // BP + RP from G and the colour, as bright as the band relation of an average star has it.
        const double bp = s.magG + 0.45 * s.colour;
        text += fmt::format("{},{:.10f},{:.10f},{:.4f},{:.4f},{:.4f},{:.3f},{:.3f},{:.5f},{:.5f},{:"
                            ".5f},{:.2f},2016.0\n",
                            s.id,
                            s.raDegrees + error * mas * hash.normal(i, 0) /
                                              std::cos(s.decDegrees * kRadiansPerDegree),
                            s.decDegrees + error * mas * hash.normal(i, 1),
                            error,
                            error,
                            s.parallaxMas + error * hash.normal(i, 2),
                            s.pmRaMas + 0.2 * error * hash.normal(i + 500009, 0),
                            s.pmDecMas + 0.2 * error * hash.normal(i + 500009, 1),
                            s.magG + magError * hash.normal(i + 700001, 0),
                            bp + 3.0 * magError * hash.normal(i + 700001, 1),
                            bp - s.colour + 2.0 * magError * hash.normal(i + 700001, 2),
                            1.0 + 0.05 * std::abs(hash.normal(i + 800011, 0)));
    }
    return writeWholeText(path, text);
}

Result<bool> writeOrbits(const Scenario& scenario, const std::filesystem::path& folder) {
    nlohmann::json table = nlohmann::json::array();
    std::string lines = "MADE-UP ORBITS\n\n" + std::string(160, '-') + "\n";
    std::string comets;
    for (const BodyScenario& b : scenario.bodies) {
        if (!b.known) {
            continue;
        }
        nlohmann::json entry{{"name", b.name},
                             {"packed", b.packed},
                             {"epoch_jd_tdb", b.epochJulian},
                             {"frame", "ecliptic J2000"},
                             {"q_au", b.perihelionAu},
                             {"e", b.eccentricity},
                             {"i_deg", b.inclinationDegrees},
                             {"node_deg", b.nodeDegrees},
                             {"peri_deg", b.argumentDegrees},
                             {"tp_jd_tdb", perihelionJulian(b)},
                             {"a_au", semiMajor(b)},
                             {"M_deg", b.meanAnomalyDegrees}};
        if (b.m1) {
            entry["M1"] = *b.m1;
            entry["K1"] = b.k1;
            comets += cometLine(b);
        } else {
            entry["H"] = b.h;
            entry["G"] = b.g;
            lines += oneLine(b);
        }
        table.push_back(std::move(entry));
    }
    const NoiseHash hash = NoiseHash(scenario.seed).child(950);
    const double epoch = scenario.bodies.empty() ? 2464040.5 : scenario.bodies.front().epochJulian;
    for (int i = 0; i < scenario.extraOrbits; ++i) {
        lines += oneLine(extraBody(hash, static_cast<std::uint64_t>(i), epoch));
    }
    for (const auto& [file, text] : {std::pair{"orbits.json", table.dump(1) + "\n"},
                                     std::pair{"minor-planets.txt", lines},
                                     std::pair{"comets.txt", comets}}) {
        if (text.empty()) {
            continue;
        }
        if (auto written = writeWholeText(folder / file, text); !written) {
            return written;
        }
    }
    return true;
}

Result<bool> writePastObservations(const Scenario& scenario, const std::filesystem::path& path) {
    if (scenario.series.empty()) {
        return true;
    }
    const NoiseHash hash = NoiseHash(scenario.seed).child(970);
    std::string text;
    std::uint64_t draw = 0;
    for (const BodyScenario& b : scenario.bodies) {
        if (!b.known) {
            continue;
        }
        for (const double daysBefore : {9.0, 5.0, 2.0}) {
            for (int k = 0; k < 4; ++k) {
                const Utc time =
                    scenario.series.front().start.plusSeconds(-daysBefore * 86400.0 + 1100.0 * k);
                const BodySight sight = seeBody(b, scenario.site, time);
                RaDec place = toRaDec(sight.direction);
                place.raDegrees += 0.3 / 3600.0 * hash.normal(draw, 0) /
                                   std::cos(place.decDegrees * kRadiansPerDegree);
                place.decDegrees += 0.3 / 3600.0 * hash.normal(draw, 1);
                ++draw;
                if (daysBefore == 5.0 && k == 1) {
                    place.decDegrees += b.blunderArcsec / 3600.0;
                }
                const CalendarDay day = toCalendar(time);
                const std::string designation =
                    b.packed.size() == 5   ? fmt::format("{:<12}", b.packed)
                    : b.packed.size() == 8 ? fmt::format("{:>12}", b.packed)
                                           : fmt::format("     {:<7}", b.packed);
                text += fmt::format("{}  C{:04} {:02} {:09.6f}{}{}{:9}{:5.1f}V{:6}{:>3}\n",
                                    designation,
                                    day.year,
                                    day.month,
                                    day.day + day.fraction,
                                    toHours(Angle::degrees(place.raDegrees), 3),
                                    toDegrees(Angle::degrees(place.decDegrees), 2),
                                    "",
                                    sight.magnitudeV,
                                    "",
                                    scenario.site.code);
            }
        }
    }
    return writeWholeText(path, text);
}

} // namespace pathmark::simulate
