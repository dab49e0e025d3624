#include "command/report_decisions.h"

#include "command/night_words.h"
#include "core/night/report/reported_night.h"

#include <CLI/CLI.hpp>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

namespace pathmark::command {
namespace {

constexpr const char* kAll = "all";

/// Gathers the decisions of one call.
class Decider {
  public:
    Decider(std::span<const night::MeasurementRecord> measurements,
            night::Decided decided,
            night::Act& act)
        : measurements_(measurements), decided_(std::move(decided)), act_(act) {}

    /// Doubts that lines have are waived, or count again; `lines` are those of the report.
    Result<bool> waive(const std::vector<night::ReportLine>& lines,
                       const std::string& word,
                       const std::string& doubt,
                       const std::string& reason,
                       bool waves) {
        if (doubt != kAll && !night::doubtKindNamed(doubt)) {
            return fail(
                ErrorId::CommandWrongUse,
                "There is no such doubt; 'pathmark report --json' names those of the lines.",
                doubt);
        }
        if (waves && reason.empty()) {
            return fail(ErrorId::CommandWrongUse,
                        "A doubt is waived with a reason that is kept; give it as --reason.",
                        word);
        }
        const std::size_t before = act_.decisions.size();
        auto done = forEachLine(word, waves ? "waive" : "doubt again", [&](const std::string& id) {
            for (const night::ReportLine& line : lines) {
                for (const night::Doubt& one : line.doubts) {
                    if (line.measurement == id && one.waived.has_value() != waves &&
                        (doubt == kAll || doubt == night::name(one.kind))) {
                        act_.decisions.emplace_back(
                            night::WaveThrough{id, one.key(), reason, waves});
                    }
                }
            }
        });
        if (done && act_.decisions.size() == before) {
            return fail(ErrorId::NightUnknownId,
                        "No line of it that is reported has such a doubt.",
                        fmt::format("{} {}", word, doubt));
        }
        return done;
    }

    /// Changes what is reported of lines.
    template <typename Change>
    Result<bool> correct(const std::string& word, const char* what, const Change& change) {
        return forEachLine(word, what, [&](const std::string& line) {
            change(corrections_.try_emplace(line, decided_.corrections[line]).first->second);
        });
    }

    Result<bool> leaveAsMeasured(const std::string& word) {
        return forEachLine(word, "as measured", [&](const std::string& line) {
            act_.decisions.emplace_back(night::CorrectLine{line, {}});
        });
    }

    Result<bool> name(const std::string& body, const std::string& own) {
        const auto id = night::BodyId::of(body);
        const bool isCandidate =
            std::any_of(measurements_.begin(), measurements_.end(), [&](const auto& m) {
                return m.body == id && m.candidate;
            });
        if (!isCandidate) {
            return fail(ErrorId::NightUnknownId, "No candidate of this night has that name.", body);
        }
        act_.decisions.emplace_back(night::NameCandidate{id, own});
        say("name", body + " " + own);
        return true;
    }

    void finish() {
        for (auto& [line, correction] : corrections_) {
            act_.decisions.emplace_back(night::CorrectLine{line, correction});
        }
    }

  private:
    template <typename Do>
    Result<bool> forEachLine(const std::string& word, const char* what, const Do& act) {
        const auto ids = measurementsNamed(measurements_, word);
        if (!ids) {
            return fail(ids.error());
        }
        for (const std::string& id : *ids) {
            act(id);
        }
        say(what, word);
        return true;
    }

    void say(const char* what, const std::string& about) {
        act_.words += fmt::format("{}{} {}", act_.words.empty() ? "" : ", ", what, about);
    }

    std::span<const night::MeasurementRecord> measurements_;
    night::Decided decided_;
    night::Act& act_;
    std::map<std::string, night::LineCorrection> corrections_;
};

} // namespace

void addReportWishes(CLI::App& verb, ReportWishes& wishes) {
    verb.add_option(
        "--waive",
        wishes.waive,
        "A line or a body, and a doubt (or all): it is sent all the same; with --reason");
    verb.add_option("--unwaive", wishes.unwaive, "A line or a body, and a doubt that counts again");
    verb.add_option(
        "--band", wishes.bands, "A line or a body, and the band that it is reported in");
    verb.add_option(
        "--no-magnitude", wishes.noMagnitudes, "Lines that are reported by place alone");
    verb.add_option("--clock-error",
                    wishes.clockErrors,
                    "A line or a body, and the seconds that its time may be off by");
    verb.add_option(
        "--as-measured", wishes.asMeasured, "Lines that are reported as they were measured again");
    verb.add_option("--name", wishes.names, "A candidate, and your own name for it");
}

Result<bool> addReportDecisions(const ReportWishes& wishes,
                                const std::string& reason,
                                std::span<const night::MeasurementRecord> measurements,
                                const night::NightFile& file,
                                night::Act& act) {
    auto decided = file.decided();
    if (!decided) {
        return fail(decided.error());
    }
    Decider decider(measurements, std::move(*decided), act);
    std::vector<Result<bool>> done;
    if (!wishes.waive.empty() || !wishes.unwaive.empty()) {
        const auto recipe = night::readRecipe(file.recipe());
        const auto night = recipe ? night::reportedOf(file) : fail(recipe.error());
        if (!night) {
            return fail(night.error());
        }
        const auto lines = night::reportLines(*night, *recipe);
        for (const auto& [line, doubt] : wishes.waive) {
            done.push_back(decider.waive(lines, line, doubt, reason, true));
        }
        for (const auto& [line, doubt] : wishes.unwaive) {
            done.push_back(decider.waive(lines, line, doubt, reason, false));
        }
    }
    for (const std::string& line : wishes.asMeasured) {
        done.push_back(decider.leaveAsMeasured(line));
    }
    for (const auto& [line, band] : wishes.bands) {
        done.push_back(decider.correct(
            line, "band", [&, said = band](night::LineCorrection& c) { c.band = said; }));
    }
    for (const std::string& line : wishes.noMagnitudes) {
        done.push_back(decider.correct(
            line, "no magnitude", [](night::LineCorrection& c) { c.withoutMagnitude = true; }));
    }
    for (const auto& [line, seconds] : wishes.clockErrors) {
        if (!(seconds > 0.0) || !std::isfinite(seconds)) {
            return fail(ErrorId::CommandWrongUse, "A clock is off by seconds above 0.", line);
        }
        done.push_back(
            decider.correct(line, "clock error", [&, said = seconds](night::LineCorrection& c) {
                c.clockSeconds = said;
            }));
    }
    for (const auto& [body, own] : wishes.names) {
        done.push_back(decider.name(body, own));
    }
    decider.finish();
    const auto failed =
        std::find_if(done.begin(), done.end(), [](const Result<bool>& one) { return !one; });
    return failed == done.end() ? Result<bool>(true) : *failed;
}

} // namespace pathmark::command
