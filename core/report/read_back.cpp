#include "core/report/read_back.h"

#include "core/base/text.h"
#include "core/orbit/formats/ades.h"
#include "core/orbit/formats/eighty_column.h"
#include "core/report/ades_values.h"
#include "core/report/writers.h"

#include <fmt/format.h>

#include <cmath>

namespace pathmark::report {
namespace {

/// Half of the last figure that a form writes, and a little; of a place in both coordinates together.
struct Rounding {
    double timeSeconds;
    double arcsec;
    double magnitude;
};

constexpr Rounding kAdesRounding{0.00051, 0.00027, 0.00051};
constexpr Rounding kEightyRounding{0.0433, 0.0092, 0.0051};

Result<orbit::ObservationList> linesOf(const std::string& text) {
    orbit::ObservationList list;
    for (const std::string_view line : split(text, '\n')) {
        if (line.size() != 80) {
            continue; // the head
        }
        if (auto read = orbit::parseEightyColumn(line)) {
            list.observations.push_back(std::move(*read));
        } else {
            list.badLines.push_back(read.error());
        }
    }
    return list;
}

Result<orbit::ObservationList> readAs(Form form, const std::string& text) {
    switch (form) {
    case Form::Psv: return orbit::parseAdesPsv(text);
    case Form::Xml: return orbit::parseAdesXml(text);
    case Form::EightyColumn: return linesOf(text);
    }
    return linesOf(text);
}

bool isFar(const std::optional<double>& wanted, const std::optional<double>& read, double most) {
    return wanted.has_value() != read.has_value() || (wanted && std::abs(*wanted - *read) > most);
}

/// What the report does not say of an observation as it was to be said.
std::vector<std::string> differencesOf(const Observation& wanted,
                                       bool isOwn,
                                       const orbit::Observation& read,
                                       const ReportHead& head,
                                       const Rounding& rounding) {
    std::vector<std::string> words;
    const auto hold = [&](bool isWrong, const char* what) {
        if (isWrong) {
            words.push_back(fmt::format(
                "{} of {} reads back otherwise than it was written.", what, wanted.body));
        }
    };
    hold((isOwn ? read.ownName : read.body) != wanted.body, "The name");
    hold(read.station != head.stationCode, "The station");
    hold(std::abs(read.time.secondsSince(wanted.time)) > rounding.timeSeconds, "The time");
    hold(separation(read.sky, wanted.sky).arcsec() > rounding.arcsec, "The place");
    hold(isFar(wanted.magnitude, read.magnitude, rounding.magnitude), "The magnitude");
    return words;
}

} // namespace

std::vector<std::string> readBackDifferences(Form form,
                                             const std::string& text,
                                             const ReportHead& head,
                                             std::span<const Observation> observations) {
    const auto list = readAs(form, text);
    if (!list) {
        return {list.error().detail};
    }
    std::vector<std::string> words;
    for (const Error& bad : list->badLines) {
        words.push_back(bad.detail);
    }
    std::vector<const Observation*> wanted;
    for (const Observation& observation : observations) {
        if (form == Form::EightyColumn ? eightyColumnLine(head, observation).has_value()
                                       : adesIdentity(observation).has_value()) {
            wanted.push_back(&observation);
        }
    }
    if (wanted.size() != list->observations.size()) {
        words.push_back(fmt::format(
            "{} lines were written and {} read back.", wanted.size(), list->observations.size()));
        return words;
    }
    const Rounding& rounding = form == Form::EightyColumn ? kEightyRounding : kAdesRounding;
    for (std::size_t i = 0; i < wanted.size(); ++i) {
        const auto identity = adesIdentity(*wanted[i]);
        const bool isOwn = form == Form::EightyColumn ? wanted[i]->ownName
                                                      : identity && identity->first == "trkSub";
        const auto found = differencesOf(*wanted[i], isOwn, list->observations[i], head, rounding);
        words.insert(words.end(), found.begin(), found.end());
    }
    return words;
}

} // namespace pathmark::report
