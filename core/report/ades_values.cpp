#include "core/report/ades_values.h"

#include "core/base/text.h"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <cmath>
#include <set>
#include <string_view>

namespace pathmark::report {
namespace {

constexpr std::size_t kMostRemark = 200;

bool isNumber(std::string_view text) {
    return !text.empty() &&
           std::all_of(text.begin(), text.end(), [](char c) { return c >= '0' && c <= '9'; });
}

bool isCapitals(std::string_view text) {
    return !text.empty() &&
           std::all_of(text.begin(), text.end(), [](char c) { return c >= 'A' && c <= 'Z'; });
}

/// "29P", "73P-BC", "1I": a numbered comet or visitor, and its piece.
bool isNumberedComet(std::string_view name) {
    const std::size_t dash = name.find('-');
    if (dash != std::string_view::npos && !isCapitals(name.substr(dash + 1))) {
        return false;
    }
    const std::string_view whole = name.substr(0, dash);
    return whole.size() >= 2 && std::string_view("PDI").find(whole.back()) != whole.npos &&
           isNumber(whole.substr(0, whole.size() - 1));
}

/// "2027 RK17", "C/2031 A1", "C/2031 A1-B", "2040 P-L".
bool isProvisional(std::string_view name) {
    if (name.size() > 2 && name[1] == '/') {
        if (std::string_view("CPDXAI").find(name[0]) == name.npos) {
            return false;
        }
        name.remove_prefix(2);
    }
    if (name.size() < 6 || !isNumber(name.substr(0, 4)) || name[4] != ' ') {
        return false;
    }
    name.remove_prefix(5);
    const std::size_t dash = name.find('-');
    const std::string_view piece =
        dash == std::string_view::npos ? std::string_view("A") : name.substr(dash + 1);
    const std::string_view half = name.substr(0, dash);
    const std::size_t digits = half.find_first_of("0123456789");
    const std::string_view letters = half.substr(0, digits);
    return isCapitals(letters) && letters.size() <= 2 &&
           (digits == half.npos || isNumber(half.substr(digits))) &&
           (isCapitals(piece) || isNumber(piece));
}

bool isTrackletName(std::string_view name) {
    constexpr std::size_t most = 12;
    return !name.empty() && name.size() <= most &&
           std::all_of(name.begin(), name.end(), [](unsigned char c) {
               return (c < 0x80U && std::isalnum(c) != 0) || c == '_' || c == '.' || c == '-';
           });
}

/// As it may stand in a table whose columns are parted by bars, one record a line.
std::string inOneField(std::string text) {
    for (char& c : text) {
        if (static_cast<unsigned char>(c) < 0x20U) {
            c = ' ';
        } else if (c == '|') {
            c = '/';
        }
    }
    return text;
}

/// Degrees of right ascension; what rounds to a whole turn is none.
std::string rightAscension(const SkyPos& sky) {
    const std::string text = fmt::format("{:.7f}", normalised(sky.longitude).degrees());
    return text == "360.0000000" ? "0.0000000" : text;
}

/// An error in arcsec or magnitudes: never nought, which would say that there is none.
std::string errorText(double error) {
    return fmt::format("{:.3f}", std::max(error, 0.001));
}

std::string exposureText(double seconds) {
    return seconds < 1.0 ? fmt::format("{:.4f}", std::max(seconds, 0.0001))
                         : fmt::format("{:.1f}", seconds);
}

/// What the clock told, in millionths of a day.
std::string timePrecision(double seconds) {
    constexpr double day = 86400.0;
    return std::to_string(std::max(1L, std::lround(1e6 * seconds / day)));
}

/// No more than a field holds, and no half of a character.
std::string shortened(std::string text, std::size_t most) {
    if (text.size() <= most) {
        return text;
    }
    while (most > 0 && (static_cast<unsigned char>(text[most]) & 0xC0U) == 0x80U) {
        --most;
    }
    text.resize(most);
    return text;
}

std::string orUnknown(const std::string& text) {
    return text.empty() ? "unknown" : text;
}

void addLight(const Observation& o, std::vector<AdesField>& fields) {
    if (!o.magnitude) {
        return;
    }
    fields.emplace_back("mag", fmt::format("{:.3f}", *o.magnitude));
    fields.emplace_back("rmsMag", errorText(o.magnitudeError));
    fields.emplace_back("band", o.band);
    fields.emplace_back("photCat", o.catalogue);
    if (o.apertureArcsec) {
        fields.emplace_back("photAp", fmt::format("{:.1f}", std::max(*o.apertureArcsec, 0.1)));
    }
}

/// How well it was seen and fitted.
void addQuality(const Observation& o, std::vector<AdesField>& fields) {
    if (o.snr && *o.snr > 0.0) {
        fields.emplace_back("logSNR", fmt::format("{:.2f}", std::log10(*o.snr)));
    }
    if (o.seeingArcsec) {
        fields.emplace_back("seeing", fmt::format("{:.1f}", std::max(*o.seeingArcsec, 0.1)));
    }
    if (o.exposureSeconds > 0.0) {
        fields.emplace_back("exp", exposureText(o.exposureSeconds));
    }
    if (o.fitRmsArcsec) {
        fields.emplace_back("rmsFit", errorText(*o.fitRmsArcsec));
    }
    if (o.usedStars > 0) {
        fields.emplace_back("nStars", std::to_string(o.usedStars));
    }
}

} // namespace

std::optional<AdesField> adesIdentity(const Observation& o) {
    const std::string& body = o.body;
    if (!o.ownName && body.size() > 2 && body.front() == '(' && body.back() == ')' &&
        isNumber(std::string_view(body).substr(1, body.size() - 2))) {
        return AdesField{"permID", body.substr(1, body.size() - 2)};
    }
    if (!o.ownName && isNumberedComet(body)) {
        return AdesField{"permID", body};
    }
    if (!o.ownName && isProvisional(body)) {
        return AdesField{"provID", body};
    }
    return isTrackletName(body) ? std::optional(AdesField{"trkSub", body}) : std::nullopt;
}

std::vector<AdesField> adesFields(const ReportHead& head, const Observation& o) {
    std::vector<AdesField> fields;
    if (auto identity = adesIdentity(o)) {
        fields.push_back(*std::move(identity));
    }
    if (!o.id.empty()) {
        fields.emplace_back("obsSubID", o.id);
    }
    // Nobody said what the detector is: that is said too, rather than guessed.
    fields.emplace_back("mode", head.detector.empty() ? "UNK" : head.detector);
    fields.emplace_back("stn", head.stationCode);
    if (!head.programme.empty()) {
        fields.emplace_back("prog", head.programme);
    }
    fields.emplace_back("obsTime", toIso(o.time, 3));
    fields.emplace_back("ra", rightAscension(o.sky));
    fields.emplace_back("dec", fmt::format("{:.7f}", o.sky.latitude.degrees()));
    fields.emplace_back("rmsRA", errorText(o.raErrorArcsec));
    fields.emplace_back("rmsDec", errorText(o.decErrorArcsec));
    if (o.correlation) {
        fields.emplace_back("rmsCorr", fmt::format("{:.3f}", *o.correlation));
    }
    fields.emplace_back("astCat", o.catalogue);
    addLight(o, fields);
    addQuality(o, fields);
    if (o.timeStepSeconds) {
        fields.emplace_back("precTime", timePrecision(*o.timeStepSeconds));
    }
    if (o.timeUncertainSeconds) {
        fields.emplace_back("uncTime", errorText(*o.timeUncertainSeconds));
    }
    if (o.stackedFrames > 1) {
        fields.emplace_back("notes", "K");
    }
    if (!o.remark.empty()) {
        fields.emplace_back("remarks", shortened(o.remark, kMostRemark));
    }
    for (AdesField& field : fields) {
        field.second = inOneField(field.second);
    }
    return fields;
}

Result<std::vector<std::vector<AdesField>>> adesRecords(const ReportHead& head,
                                                        std::span<const Observation> observations,
                                                        std::vector<Error>& leftOut) {
    std::set<std::string> without;
    std::vector<std::vector<AdesField>> records;
    for (const Observation& observation : observations) {
        if (adesIdentity(observation)) {
            records.push_back(adesFields(head, observation));
        } else if (without.insert(observation.body).second) {
            leftOut.push_back({ErrorId::ReportNoPackedForm,
                               "Reports have no form for this name, so this body is left out: a "
                               "designation, or up to 12 letters and digits.",
                               observation.body});
        }
    }
    if (records.empty()) {
        return fail(ErrorId::ReportNothingToReport,
                    observations.empty()
                        ? "No measurement is kept; keep at least one before reporting."
                        : "No body that is kept has a name that reports can hold.");
    }
    return records;
}

std::vector<AdesGroup> adesContext(const ReportHead& head) {
    std::vector<AdesGroup> groups;
    AdesGroup observatory{"observatory", {{"mpcCode", head.stationCode}}};
    if (!head.observatory.empty()) {
        observatory.fields.emplace_back("name", head.observatory);
    }
    groups.push_back(observatory);
    // The structure asks for names and for what was observed with: what nobody said is said to be unknown.
    groups.push_back({"submitter", {{"name", orUnknown(head.submitter)}}});
    const auto people = [&](const char* group, const std::vector<std::string>& names) {
        AdesGroup result{group, {}};
        for (const std::string& person : names) {
            result.fields.emplace_back("name", person);
        }
        if (names.empty()) {
            result.fields.emplace_back("name", orUnknown({}));
        }
        groups.push_back(result);
    };
    people("observers", head.observers);
    people("measurers", head.measurers);
    AdesGroup telescope{"telescope", {{"design", orUnknown(head.telescopeDesign)}}};
    if (!head.aperture.empty()) {
        telescope.fields.emplace_back("aperture", head.aperture);
    }
    telescope.fields.emplace_back("detector", head.detector.empty() ? "UNK" : head.detector);
    if (!head.pixelScale.empty()) {
        telescope.fields.emplace_back("pixelScale", head.pixelScale);
    }
    groups.push_back(telescope);
    for (AdesGroup& group : groups) {
        for (AdesField& field : group.fields) {
            field.second = inOneField(field.second);
        }
    }
    return groups;
}

} // namespace pathmark::report
