#include "core/report/ades_values.h"

#include "core/base/text.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace pathmark::report {
namespace {

constexpr std::size_t kMostRemark = 200;

/// trkSub for what has no designation yet, permID for numbered bodies (digits, or "29P"), provID otherwise.
AdesField identity(const Observation& o) {
    const std::string& body = o.body;
    if (o.ownName) {
        return {"trkSub", body};
    }
    if (body.size() > 2 && body.front() == '(' && body.back() == ')') {
        return {"permID", body.substr(1, body.size() - 2)};
    }
    const bool periodic = body.size() >= 2 && (body.back() == 'P' || body.back() == 'D') &&
                          parseInteger(body.substr(0, body.size() - 1)).has_value();
    return {periodic ? "permID" : "provID", body};
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

std::vector<AdesField> adesFields(const ReportHead& head, const Observation& o) {
    std::vector<AdesField> fields;
    fields.push_back(identity(o));
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

std::vector<AdesGroup> adesContext(const ReportHead& head) {
    std::vector<AdesGroup> groups;
    AdesGroup observatory{"observatory", {{"mpcCode", head.stationCode}}};
    if (!head.observatory.empty()) {
        observatory.fields.emplace_back("name", head.observatory);
    }
    groups.push_back(observatory);
    groups.push_back({"submitter", {{"name", head.submitter}}});
    const auto people = [&](const char* group, const std::vector<std::string>& names) {
        AdesGroup result{group, {}};
        for (const std::string& person : names) {
            result.fields.emplace_back("name", person);
        }
        groups.push_back(result);
    };
    people("observers", head.observers);
    people("measurers", head.measurers);
    AdesGroup telescope{"telescope", {}};
    if (!head.telescopeDesign.empty()) {
        telescope.fields.emplace_back("design", head.telescopeDesign);
    }
    if (!head.aperture.empty()) {
        telescope.fields.emplace_back("aperture", head.aperture);
    }
    if (!head.detector.empty()) {
        telescope.fields.emplace_back("detector", head.detector);
    }
    if (!head.pixelScale.empty()) {
        telescope.fields.emplace_back("pixelScale", head.pixelScale);
    }
    groups.push_back(telescope);
    return groups;
}

} // namespace pathmark::report
