#include "core/report/ades_values.h"

#include "core/base/text.h"

#include <fmt/format.h>

namespace pathmark::report {
namespace {

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

} // namespace

namespace {

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

} // namespace

std::vector<AdesField> adesFields(const ReportHead& head, const Observation& o) {
    std::vector<AdesField> fields;
    fields.push_back(identity(o));
    // Nobody said what the detector is: that is said too, rather than guessed.
    fields.emplace_back("mode", head.detector.empty() ? "UNK" : head.detector);
    fields.emplace_back("stn", head.stationCode);
    fields.emplace_back("obsTime", toIso(o.time, 3));
    fields.emplace_back("ra", fmt::format("{:.7f}", o.sky.longitude.degrees()));
    fields.emplace_back("dec", fmt::format("{:.7f}", o.sky.latitude.degrees()));
    fields.emplace_back("rmsRA", fmt::format("{:.3f}", o.raErrorArcsec));
    fields.emplace_back("rmsDec", fmt::format("{:.3f}", o.decErrorArcsec));
    fields.emplace_back("astCat", o.catalogue);
    if (o.magnitude) {
        fields.emplace_back("mag", fmt::format("{:.3f}", *o.magnitude));
        fields.emplace_back("rmsMag", fmt::format("{:.3f}", o.magnitudeError));
        fields.emplace_back("band", o.band);
        fields.emplace_back("photCat", o.catalogue);
    }
    if (o.exposureSeconds > 0.0) {
        fields.emplace_back("exp", fmt::format("{:.1f}", o.exposureSeconds));
    }
    if (o.usedStars > 0) {
        fields.emplace_back("nStars", std::to_string(o.usedStars));
    }
    if (!o.remark.empty()) {
        fields.emplace_back("remarks", o.remark);
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
