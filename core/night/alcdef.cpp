#include "core/night/alcdef.h"

#include "core/base/sexagesimal.h"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <string_view>

namespace pathmark::night {
namespace {

constexpr double kBetweenSessions = 8.0 / 24.0; // days
constexpr std::size_t kMostComparisons = 10;    // of the format

using Session = std::vector<const TargetPoint*>;

/// The points that stand for the body alone, by session.
std::vector<Session> sessionsOf(const TargetCurve& target) {
    std::vector<Session> sessions;
    for (const TargetPoint& point : target.points) {
        if (!point.mag || !point.flags.empty()) {
            continue;
        }
        if (sessions.empty() ||
            point.time.julian() - sessions.back().back()->time.julian() > kBetweenSessions) {
            sessions.emplace_back();
        }
        sessions.back().push_back(&point);
    }
    return sessions;
}

/// "(2026) Name", "(2026)" and "2026 AB1" in the format's three parts.
struct Names {
    std::string number = "0";
    std::string name;
    std::string designation;
};

Names namesOf(const std::string& full) {
    Names names;
    names.name = full;
    const auto close = full.find(')');
    if (!full.empty() && full.front() == '(' && close != std::string::npos) {
        const std::string inside = full.substr(1, close - 1);
        if (!inside.empty() &&
            std::ranges::all_of(inside, [](unsigned char c) { return std::isdigit(c) != 0; })) {
            names.number = inside;
            const auto begin = full.find_first_not_of(' ', close + 1);
            names.name = begin == std::string::npos ? "" : full.substr(begin);
        }
    }
    if (names.number == "0") {
        names.designation = full;
    }
    return names;
}

class Block {
  public:
    /// A keyword that the format asks for.
    void set(std::string_view keyword, std::string_view value) {
        text_ += fmt::format("{}={}\n", keyword, value);
    }

    void setIfKnown(std::string_view keyword, std::string_view value) {
        if (!value.empty()) {
            set(keyword, value);
        }
    }

    [[nodiscard]] const std::string& text() const { return text_; }

  private:
    std::string text_;
};

void addPlace(Block& block, const TargetPoint& middle) {
    if (!middle.place) {
        return;
    }
    block.set("OBJECTRA", toHours(middle.place->sky.longitude, 0, ':'));
    block.set("OBJECTDEC", toDegrees(middle.place->sky.latitude, 0, ':'));
    block.set("EQUINOX", "J2000.0");
    block.set("PHASE", fmt::format("{:.2f}", middle.place->phase.degrees()));
}

void addOrigin(Block& block, const CurveOrigin& origin) {
    block.set("CONTACTNAME", origin.contact.empty() ? "not stated" : origin.contact);
    block.set("CONTACTINFO", origin.contactInfo.empty() ? "not stated" : origin.contactInfo);
    block.setIfKnown("OBSERVERS", origin.observers);
    if (origin.site) {
        block.setIfKnown("MPCCODE", origin.site->code);
        block.set("OBSLONGITUDE", fmt::format("{:.4f}", origin.site->longitude.degrees()));
        block.set("OBSLATITUDE", fmt::format("{:.4f}", origin.site->latitude.degrees()));
    }
    block.setIfKnown("TELESCOPE", origin.telescope);
    block.setIfKnown("DETECTOR", origin.detector);
}

/// The brightest of the stars that the magnitudes go by.
void addComparisons(Block& block, const BandCurves& band) {
    std::size_t count = 0;
    for (const FieldStar& star : band.stars) {
        if (!star.scatter.used || count == kMostComparisons) {
            continue;
        }
        ++count;
        block.set(fmt::format("COMPNAME{}", count), std::to_string(star.star.sourceId));
        block.set(fmt::format("COMPMAG{}", count), fmt::format("{:.3f}", star.catalogueMag));
    }
}

std::string blockOf(const BandCurves& band,
                    const TargetCurve& target,
                    const Session& session,
                    const CurveOrigin& origin) {
    const TargetPoint& middle = *session[session.size() / 2];
    const Names names = namesOf(target.name);
    const std::string filter(catalog::name(band.band));
    const std::string time = toIso(middle.time, 0);
    Block block;
    block.set("REVISEDDATA", "FALSE");
    block.set("OBJECTNUMBER", names.number);
    block.set("OBJECTNAME", names.name);
    block.set("MPCDESIG", names.designation);
    addPlace(block, middle);
    addOrigin(block, origin);
    block.set("SESSIONDATE", time.substr(0, 10));
    block.set("SESSIONTIME", time.substr(11, 8));
    block.set("EXPJD", "MID");
    block.set("FILTER", filter);
    block.set("MAGBAND", filter);
    block.set("STANDARD", "INTERNAL");
    block.set("DIFFERMAGS", "FALSE");
    block.set("LTCAPP", "NONE");
    block.set("LTCTYPE", "NONE");
    block.set("REDUCEDMAGS", "NONE");
    addComparisons(block, band);
    block.set("DELIMITER", "PIPE");
    std::string data;
    for (const TargetPoint* point : session) {
        data += fmt::format(
            "DATA={:.6f}|{:.3f}|{:.3f}\n", point->time.julian(), *point->mag, point->magError);
    }
    return "STARTMETADATA\n" + block.text() + "ENDMETADATA\n" + data + "ENDDATA\n";
}

} // namespace

CurveOrigin originOf(const Recipe& recipe) {
    CurveOrigin origin;
    const report::ReportHead& head = recipe.head;
    origin.observers = fmt::format("{}", fmt::join(head.observers, "; "));
    origin.contact = head.submitter.empty() ? origin.observers : head.submitter;
    origin.contactInfo = head.observatory;
    origin.telescope =
        head.aperture.empty() ? head.telescopeDesign : head.aperture + " m " + head.telescopeDesign;
    origin.detector = head.detector;
    if (recipe.siteKnown) {
        origin.site = recipe.site;
    }
    return origin;
}

std::string alcdefText(const LightCurves& curves, const CurveOrigin& origin) {
    std::string text;
    for (const BandCurves& band : curves.bands) {
        for (const TargetCurve& target : band.targets) {
            for (const Session& session : sessionsOf(target)) {
                text += blockOf(band, target, session, origin);
            }
        }
    }
    return text;
}

} // namespace pathmark::night
