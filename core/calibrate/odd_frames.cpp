#include "core/calibrate/odd_frames.h"

#include "core/base/robust.h"
#include "core/calibrate/groups.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <functional>
#include <map>

namespace pathmark::calibrate {
namespace {

using frame::FrameInfo;
using frame::FrameKind;
using Run = std::vector<const FrameInfo*>;

constexpr double kRunGapDays = 8.0 / 24.0;

bool sameRun(const FrameInfo& a, const FrameInfo& b) {
    if (a.kind != b.kind || (!a.camera.empty() && !b.camera.empty() && a.camera != b.camera)) {
        return false;
    }
    if (a.midExposure && b.midExposure &&
        std::abs(a.midExposure->julian() - b.midExposure->julian()) > kRunGapDays) {
        return false;
    }
    if (a.kind != FrameKind::Light) {
        return true;
    }
    if (a.pointing && b.pointing) {
        return separation(*a.pointing, *b.pointing).degrees() < 2.0;
    }
    return a.object == b.object;
}

std::vector<Run> runsOf(std::span<const FrameInfo> frames) {
    std::vector<const FrameInfo*> sorted;
    for (const FrameInfo& info : frames) {
        if (info.kind != FrameKind::Unknown) {
            sorted.push_back(&info);
        }
    }
    std::stable_sort(sorted.begin(), sorted.end(), [](const FrameInfo* a, const FrameInfo* b) {
        return (a->midExposure ? a->midExposure->julian() : 0.0) <
               (b->midExposure ? b->midExposure->julian() : 0.0);
    });
    std::vector<Run> runs;
    for (const FrameInfo* info : sorted) {
        const auto home = std::find_if(runs.rbegin(), runs.rend(), [&](const Run& run) {
            return sameRun(*run.back(), *info);
        });
        if (home == runs.rend()) {
            runs.push_back({info});
        } else {
            home->push_back(info);
        }
    }
    return runs;
}

/// Whether the only frame of a run with a value is odd in a run of any length; filters are changed on purpose.
enum class Alone { IsOdd, MayBe };

/// Finds the values of one setting that few frames of a run have.
void findRare(const Run& run,
              const std::string& what,
              const std::function<std::string(const FrameInfo&)>& valueOf,
              Alone alone,
              std::vector<OddFrame>& odd) {
    std::map<std::string, int> counts;
    for (const FrameInfo* info : run) {
        ++counts[valueOf(*info)];
    }
    const auto most =
        std::max_element(counts.begin(), counts.end(), [](const auto& a, const auto& b) {
            return a.second < b.second;
        });
    const int size = static_cast<int>(run.size());
    if (2 * most->second <= size) {
        return;
    }
    for (const FrameInfo* info : run) {
        const std::string value = valueOf(*info);
        const bool isAlone = alone == Alone::IsOdd && counts[value] == 1;
        if ((isAlone || 5 * counts[value] < size) && value != most->first) {
            odd.push_back(
                {info->path,
                 what,
                 fmt::format("{} among {} frames of {}", value, most->second, most->first)});
        }
    }
}

void findOffTemperature(const Run& run, std::vector<OddFrame>& odd) {
    std::vector<double> values;
    for (const FrameInfo* info : run) {
        if (info->temperatureCelsius) {
            values.push_back(*info->temperatureCelsius);
        }
    }
    if (values.size() < 3) {
        return;
    }
    const double median = medianInPlace(std::span(values));
    for (const FrameInfo* info : run) {
        if (info->temperatureCelsius && std::abs(*info->temperatureCelsius - median) > 1.5) {
            odd.push_back({info->path,
                           "temperature",
                           fmt::format("{:.1f} °C, the others {:.1f} °C",
                                       *info->temperatureCelsius,
                                       median)});
        }
    }
}

/// A leap of the level against the others; the scatter of three or four frames says little, so it must be larger there.
constexpr double kLeap = 0.1;
constexpr double kLeapOfFew = 0.3;

/// A light's level may wander with the moon; against its neighbours in the same setting it must not leap.
void findOffLevel(const Run& run, std::vector<OddFrame>& odd) {
    std::map<std::string, std::vector<const FrameInfo*>> alike;
    for (const FrameInfo* info : run) {
        if (info->sample) {
            alike[fmt::format("{:.3g} {} {}", info->exposureSeconds, info->filter, info->binningX)]
                .push_back(info);
        }
    }
    for (const auto& entry : alike) {
        const auto& list = entry.second;
        if (list.size() < 3 || list.front()->kind == FrameKind::Flat) {
            continue; // flats in twilight change level by their nature
        }
        std::vector<double> levels;
        levels.reserve(list.size());
        for (const FrameInfo* info : list) {
            levels.push_back(info->sample->level);
        }
        const RobustMoments moments = medianAndDeviation(levels);
        for (const FrameInfo* info : list) {
            const double off = std::abs(info->sample->level - moments.centre);
            const double share = list.size() < 5 ? kLeapOfFew : kLeap;
            if (off > 8.0 * moments.sigma && off > share * std::abs(moments.centre)) {
                odd.push_back({info->path,
                               "level",
                               fmt::format("a level of {:.0f} ADU, the others {:.0f} ADU",
                                           info->sample->level,
                                           moments.centre)});
            }
        }
    }
}

/// A frame that is odd in several ways stands in the list once, with all of them.
std::vector<OddFrame> oncePerFrame(const std::vector<OddFrame>& all) {
    std::vector<OddFrame> once;
    for (const OddFrame& odd : all) {
        const auto known = std::find_if(
            once.begin(), once.end(), [&](const OddFrame& o) { return o.path == odd.path; });
        if (known == once.end()) {
            once.push_back(odd);
        } else {
            known->what += ", " + odd.what;
            known->words += "; " + odd.words;
        }
    }
    return once;
}

} // namespace

std::vector<OddFrame> findOddFrames(std::span<const FrameInfo> frames) {
    std::vector<OddFrame> odd;
    for (const Run& run : runsOf(frames)) {
        // Flats change exposure by their nature; and biases have none.
        if (run.front()->kind != FrameKind::Flat) {
            findRare(
                run,
                "exposure",
                [](const FrameInfo& f) {
                    return f.exposureKnown ? fmt::format("{:.3g} s", f.exposureSeconds)
                                           : std::string("no exposure");
                },
                Alone::IsOdd,
                odd);
        }
        findRare(
            run,
            "size",
            [](const FrameInfo& f) {
                return fmt::format(
                    "{} x {}{}", f.width, f.height, f.planes > 1 ? " in colour" : "");
            },
            Alone::IsOdd,
            odd);
        findRare(
            run,
            "binning",
            [](const FrameInfo& f) {
                return fmt::format("binning {} x {}", f.binningX, f.binningY);
            },
            Alone::IsOdd,
            odd);
        findRare(
            run,
            "gain",
            [](const FrameInfo& f) {
                return f.gainSetting ? fmt::format("gain {:g}", *f.gainSetting)
                                     : std::string("no gain");
            },
            Alone::IsOdd,
            odd);
        if (run.front()->kind == FrameKind::Light || run.front()->kind == FrameKind::Flat) {
            findRare(
                run,
                "filter",
                [](const FrameInfo& f) {
                    return f.filter.empty() ? std::string("no filter") : "filter " + f.filter;
                },
                Alone::MayBe,
                odd);
        }
        findOffTemperature(run, odd);
        findOffLevel(run, odd);
        for (const FrameInfo* info : run) {
            for (const std::string& note : info->notes) {
                odd.push_back({info->path, "header", note});
            }
        }
    }
    return oncePerFrame(odd);
}

} // namespace pathmark::calibrate
