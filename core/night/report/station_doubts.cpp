#include "core/night/known_sites.h"
#include "core/night/recipe.h"
#include "core/night/report/report_doubts.h"
#include "core/night/report/reported_night.h"
#include "core/orbit/motion/constants.h"
#include "core/orbit/place/site_place.h"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <map>

namespace pathmark::night {
namespace {

constexpr double kAwayKilometres = 2.0; ///< headers round to an arc minute
constexpr std::size_t kCodeLetters = 3;

bool isStationCode(const std::string& code) {
    return code.size() == kCodeLetters &&
           std::all_of(code.begin(), code.end(), [](unsigned char c) {
               return c < 0x80U && std::isalnum(c) != 0;
           });
}

double kilometresBetween(const frame::Site& a, const frame::Site& b) {
    const Utc any = Utc::julian(2460000.5);
    const auto from = orbit::sitePlace(a, any).position;
    const auto to = orbit::sitePlace(b, any).position;
    return norm(to - from) * orbit::kKilometresPerAu;
}

class StationDoubter {
  public:
    StationDoubter(const DoubtedReport& report, DoubtList& doubts)
        : report_(report), doubts_(doubts), frames_(framesById(report.night)) {}

    void doubtCode() {
        const std::string& code = report_.head.stationCode;
        if (!isStationCode(code)) {
            addAll(
                DoubtKind::UnknownStation,
                code.empty()
                    ? std::string("No station is named.")
                    : fmt::format("'{}' is no code of a station: three letters or digits.", code));
            return;
        }
        const auto codes = knownSites(report_.recipe.siteCodeFiles);
        if (!codes || codes->sites().empty()) {
            return; // there is no list to ask
        }
        const auto listed = codes->find(code);
        if (!listed) {
            addAll(DoubtKind::UnknownStation,
                   fmt::format("No list of stations has the code {}.", code));
        } else if (report_.recipe.siteKnown) {
            const double away = kilometresBetween(*listed, report_.recipe.site);
            if (away > kAwayKilometres) {
                addAll(
                    DoubtKind::StationElsewhere,
                    fmt::format("The list has station {} {:.0f} km from where it is worked with.",
                                code,
                                away));
            }
        }
    }

    void doubtHeaders() {
        if (!report_.recipe.siteKnown) {
            return;
        }
        for (const DoubtedLine& line : report_.lines) {
            const frame::FrameInfo* info = frameOf(line);
            if (info == nullptr || !info->site) {
                continue;
            }
            const double away = kilometresBetween(*info->site, report_.recipe.site);
            if (away > kAwayKilometres) {
                doubts_.add(*line.measured,
                            DoubtKind::StationElsewhere,
                            fmt::format("Its frame's header has the station {:.0f} km from {}.",
                                        away,
                                        report_.head.stationCode));
            }
        }
    }

    void doubtTelescopes() {
        std::map<std::string, std::size_t> lines;
        for (const DoubtedLine& line : report_.lines) {
            ++lines[instrumentOf(line)];
        }
        lines.erase(std::string());
        if (lines.size() < 2) {
            return;
        }
        const auto most =
            std::max_element(lines.begin(), lines.end(), [](const auto& a, const auto& b) {
                return a.second < b.second;
            });
        for (const DoubtedLine& line : report_.lines) {
            const std::string instrument = instrumentOf(line);
            if (!instrument.empty() && instrument != most->first) {
                doubts_.add(*line.measured,
                            DoubtKind::MixedTelescopes,
                            fmt::format("It was taken with {}, most lines with {}: a report names "
                                        "one telescope.",
                                        instrument,
                                        most->first));
            }
        }
    }

    void doubtPeople() {
        if (report_.head.observers.empty()) {
            addAll(DoubtKind::NoObserver, "Nobody is named who observed.");
        }
    }

  private:
    void addAll(DoubtKind kind, const std::string& words) {
        for (const DoubtedLine& line : report_.lines) {
            doubts_.add(*line.measured, kind, words);
        }
    }

    [[nodiscard]] const frame::FrameInfo* frameOf(const DoubtedLine& line) const {
        const auto known = frames_.find(line.measured->frame);
        return line.measured->onStack || known == frames_.end() ? nullptr : known->second;
    }

    [[nodiscard]] std::string instrumentOf(const DoubtedLine& line) const {
        const frame::FrameInfo* info = frameOf(line);
        return info == nullptr           ? std::string()
               : info->telescope.empty() ? info->camera
                                         : info->telescope;
    }

    const DoubtedReport& report_;
    DoubtList& doubts_;
    FramesById frames_;
};

} // namespace

void doubtStation(const DoubtedReport& report, DoubtList& doubts) {
    StationDoubter doubter(report, doubts);
    doubter.doubtCode();
    doubter.doubtHeaders();
    doubter.doubtTelescopes();
    doubter.doubtPeople();
}

} // namespace pathmark::night
