#include "tests/support/night_verdict.h"
#include "tests/support/shell.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <atomic>
#include <cmath>
#include <filesystem>
#include <map>
#include <mutex>
#include <set>
#include <thread>

// Nights of nobody's telescope, each made, run and held against its truth. What is wrong is printed as it is found, the
// table of outcomes at the end; the exit status is 1 where anything was.

namespace pathmark {
namespace {

namespace fs = std::filesystem;

struct Settings {
    int nights = 1000;
    std::uint64_t seed = 1;
    int jobs = 2;
    std::string work;
    int only = 0; ///< this one alone, and it is kept
    bool keeps = false;
};

struct Sums {
    int nights = 0;
    int wrongNights = 0;
    int wrong = 0;
    int lost = 0;
    int lights = 0;
    int solved = 0;
    int observations = 0;
    int bodies = 0;
    int reported = 0;
    double chiSquare = 0.0;
    std::vector<double> solutionPixels;
    std::vector<double> magnitudeChi;
    double seconds = 0.0;
    int reports = 0; ///< of nights with a line to report
    int lines = 0;
    std::map<std::string, int> doubts; ///< lines by what is doubted of them
    int doubted = 0; ///< reports with a doubt that is no truth of the night itself
};

/// Whether a doubt says what is so of an honest night: few lines, faint ones, coarse pixels, orbits that were put wrong.
bool isSo(const std::string& kind, const std::string& story) {
    static const std::set<std::string> facts{"one_night",
                                             "only_line",
                                             "few_lines",
                                             "weak_signal",
                                             "uncertain_place",
                                             "few_stars",
                                             "no_magnitude",
                                             "no_observer",
                                             "mixed_telescopes"};
    return facts.contains(kind) ||
           (kind == "far_from_orbit" && story.find("orbits") != std::string::npos);
}

/// What the last look says of an honest night's report.
void lookAtReport(const fs::path& folder, const std::string& story, Sums& sums) {
    const fs::path said = folder / "send.json";
    if (test_support::runLine(fmt::format("'{}' send '{}' --json > '{}' 2> /dev/null",
                                          PATHMARK_COMMAND,
                                          (folder / "out" / "night.pmnight").string(),
                                          said.string())) != 0) {
        return; // there is no night, and the verdict says why
    }
    const auto lines = nlohmann::json::parse(test_support::contentOf(said)).at("to_be_sent");
    sums.reports += lines.empty() ? 0 : 1;
    sums.lines += static_cast<int>(lines.size());
    std::set<std::string> words;
    for (const auto& line : lines) {
        for (const auto& doubt : line.at("doubts")) {
            const auto kind = doubt.at("doubt").get<std::string>();
            ++sums.doubts[kind];
            if (!isSo(kind, story)) {
                words.insert(line.at("body").get<std::string>() + ": " +
                             doubt.at("words").get<std::string>());
            }
        }
    }
    sums.doubted += words.empty() ? 0 : 1;
    for (const std::string& one : words) {
        fmt::print("   ? {} ({})\n", one, story);
    }
}

void add(const test_support::NightVerdict& v, Sums& sums) {
    ++sums.nights;
    sums.wrongNights += v.wrong.empty() ? 0 : 1;
    sums.wrong += static_cast<int>(v.wrong.size());
    sums.lost += static_cast<int>(v.lost.size());
    sums.lights += v.lights;
    sums.solved += v.solved;
    sums.observations += v.observations;
    sums.bodies += v.bodies;
    sums.reported += v.reported;
    sums.chiSquare += v.chiSquare;
    sums.solutionPixels.insert(
        sums.solutionPixels.end(), v.solutionPixels.begin(), v.solutionPixels.end());
    sums.magnitudeChi.insert(sums.magnitudeChi.end(), v.magnitudeChi.begin(), v.magnitudeChi.end());
    sums.seconds += v.seconds;
}

double quantile(std::vector<double> values, double share) {
    if (values.empty()) {
        return 0.0;
    }
    std::sort(values.begin(), values.end());
    return values[std::min(values.size() - 1,
                           static_cast<std::size_t>(share * static_cast<double>(values.size())))];
}

void print(const Sums& s) {
    double magnitudes = 0.0;
    for (const double chi : s.magnitudeChi) {
        magnitudes += chi * chi;
    }
    const auto share = [](int part, int whole) { return whole == 0 ? 0.0 : 100.0 * part / whole; };
    fmt::print("\nnights                 {:8}   with anything wrong {}\n", s.nights, s.wrongNights);
    fmt::print("wrong results          {:8}   limit 0\n", s.wrong);
    fmt::print("lights                 {:8}   solved {} ({:.1f} %)\n",
               s.lights,
               s.solved,
               share(s.solved, s.lights));
    fmt::print("solution error, px     {:8.4f}   median; 95 % {:.4f}, worst {:.4f}\n",
               quantile(s.solutionPixels, 0.5),
               quantile(s.solutionPixels, 0.95),
               quantile(s.solutionPixels, 1.0));
    fmt::print("bodies in reach        {:8}   found {} ({:.1f} %)\n",
               s.bodies,
               s.reported,
               share(s.reported, s.bodies));
    fmt::print("observations           {:8}   chi of all {:.3f}, limits 0.9 to 1.1\n",
               s.observations,
               std::sqrt(s.chiSquare / std::max(1, 2 * s.observations)));
    fmt::print(
        "magnitudes             {:8}   chi of all {:.3f}\n",
        s.magnitudeChi.size(),
        std::sqrt(magnitudes / std::max<double>(1.0, static_cast<double>(s.magnitudeChi.size()))));
    fmt::print("seconds a night        {:8.2f}\n", s.seconds / std::max(1, s.nights));
    fmt::print("reports                {:8}   of {} lines; with false concern {}, limit 1 %\n",
               s.reports,
               s.lines,
               s.doubted);
    for (const auto& [kind, count] : s.doubts) {
        fmt::print("   {:20} {:8} lines\n", kind, count);
    }
}

int live(const Settings& settings) {
    const fs::path work = settings.work.empty() ? fs::temp_directory_path() / "pathmark-odd-nights"
                                                : fs::path(settings.work);
    std::atomic<int> next{settings.only > 0 ? settings.only : 1};
    const int last = settings.only > 0 ? settings.only : settings.nights;
    std::mutex lock;
    Sums sums;
    const auto work1 = [&] {
        for (int i = next++; i <= last; i = next++) {
            const auto night =
                simulate::drawOddNight(settings.seed * 100000 + static_cast<std::uint64_t>(i));
            const fs::path folder = work / fmt::format("{}-{}", settings.seed, i);
            fs::remove_all(folder);
            fs::create_directories(folder);
            const auto verdict = test_support::liveOddNight(night, folder, PATHMARK_COMMAND);
            {
                const std::scoped_lock held(lock);
                lookAtReport(folder, night.story, sums);
            }
            if (settings.only == 0 && !(settings.keeps && !verdict.wrong.empty())) {
                fs::remove_all(folder);
            }
            const std::scoped_lock held(lock);
            add(verdict, sums);
            if (!verdict.wrong.empty() || settings.only > 0) {
                fmt::print("{}: {}\n", i, night.story);
            }
            for (const std::string& words : verdict.wrong) {
                fmt::print("   ! {}\n", words);
            }
            for (const std::string& words : verdict.lost) {
                if (!verdict.wrong.empty() || settings.only > 0 ||
                    words.find("not found") != std::string::npos) {
                    fmt::print(
                        "{}   - {}\n", verdict.wrong.empty() ? std::to_string(i) : "", words);
                }
            }
            std::fflush(stdout);
        }
    };
    std::vector<std::jthread> workers;
    for (int k = 0; k < std::max(1, settings.jobs); ++k) {
        workers.emplace_back(work1);
    }
    workers.clear();
    print(sums);
    return sums.wrong == 0 ? 0 : 1;
}

} // namespace
} // namespace pathmark

int main(int argc, char** argv) {
    pathmark::Settings settings;
    CLI::App app{"Odd nights, made, run and judged"};
    app.add_option("--nights", settings.nights, "How many");
    app.add_option("--seed", settings.seed, "Which");
    app.add_option("--jobs", settings.jobs, "Nights at once");
    app.add_option("--work", settings.work, "Where they are made");
    app.add_option("--only", settings.only, "One night alone, by its number; it is kept");
    app.add_flag("--keep", settings.keeps, "Nights with anything wrong are kept");
    CLI11_PARSE(app, argc, argv);
    return pathmark::live(settings);
}
