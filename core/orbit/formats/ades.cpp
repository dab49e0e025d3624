#include "core/orbit/formats/ades.h"

#include "core/base/text.h"
#include "core/orbit/formats/designation.h"
#include "core/orbit/motion/planets.h"

#include <fmt/format.h>
#include <pugixml.hpp>

#include <algorithm>
#include <cmath>
#include <sstream>

namespace pathmark::orbit {
namespace {

/// What one record says, still as text.
class Record {
  public:
    explicit Record(std::vector<AdesField> fields) : fields_(std::move(fields)) {}

    std::string take(std::string_view name) {
        const auto found = std::find_if(
            fields_.begin(), fields_.end(), [&](const auto& f) { return f.first == name; });
        if (found == fields_.end()) {
            return {};
        }
        std::string text = found->second;
        fields_.erase(found);
        return text;
    }

    std::optional<double> number(std::string_view name) {
        const std::string text = take(name);
        if (text.empty()) {
            return std::nullopt;
        }
        const auto value = parseNumber(text);
        if (!value) {
            throw std::string(fmt::format("{} should be a number, not '{}'", name, text));
        }
        return value;
    }

    std::vector<AdesField>& rest() { return fields_; }

  private:
    std::vector<AdesField> fields_;
};

std::string bodyOf(Record& record) {
    const std::string number = record.take("permID");
    std::string provisional = record.take("provID");
    if (!number.empty()) {
        const bool digits = number.find_first_not_of("0123456789") == std::string::npos;
        return digits ? "(" + number + ")" : number;
    }
    return provisional;
}

/// sys, ctr and pos1 to pos3 of a moving observer.
std::optional<ObserverPlace> observerOf(Record& record) {
    const std::string system = record.take("sys");
    record.take("ctr");
    const auto x = record.number("pos1");
    const auto y = record.number("pos2");
    const auto z = record.number("pos3");
    if (system.empty()) {
        return std::nullopt;
    }
    if (!x || !y || !z) {
        throw std::string("sys needs pos1, pos2 and pos3");
    }
    ObserverPlace place;
    if (system == "ICRF_KM") {
        place.geocentricKilometres = Vec3{*x, *y, *z};
    } else if (system == "ICRF_AU") {
        place.geocentricKilometres =
            Vec3{*x * kKilometresPerAu, *y * kKilometresPerAu, *z * kKilometresPerAu};
    } else if (system == "WGS84") {
        place.geodetic = std::array<double, 3>{*x, *y, *z};
    } else {
        throw std::string(fmt::format("sys '{}' is not ICRF_KM, ICRF_AU or WGS84", system));
    }
    return place;
}

/// Throws the words of what is wrong: caught by add().
Observation observationOf(Record& record) {
    Observation o;
    o.body = bodyOf(record);
    o.ownName = record.take("trkSub");
    if (o.body.empty()) {
        o.body = o.ownName;
    }
    if (o.body.empty()) {
        throw std::string("permID, provID and trkSub are all missing");
    }
    o.mode = record.take("mode");
    o.station = record.take("stn");
    if (o.station.empty()) {
        throw std::string("stn is missing");
    }
    const std::string timeText = record.take("obsTime");
    const auto time = parseUtc(timeText);
    if (!time) {
        throw std::string(fmt::format("obsTime '{}' is no ISO date and time", timeText));
    }
    o.time = *time;
    const auto ra = record.number("ra");
    const auto dec = record.number("dec");
    if (!ra || !dec || !(std::abs(*dec) <= 90.0) || !(*ra >= 0.0 && *ra < 360.0001)) {
        throw std::string("ra and dec are missing or out of range");
    }
    o.sky = skyDegrees(*ra, *dec);
    o.observer = observerOf(record);
    o.sigmaTimeSeconds = record.number("rmsTime");
    o.sigmaRaArcsec = record.number("rmsRA");
    o.sigmaDecArcsec = record.number("rmsDec");
    o.correlation = record.number("rmsCorr").value_or(0.0);
    o.starCatalogue = record.take("astCat");
    o.magnitude = record.number("mag");
    o.magnitudeError = record.number("rmsMag");
    o.band = record.take("band");
    o.notes.discovery = record.take("disc") == "*" ? '*' : ' ';
    o.others = std::move(record.rest());
    return o;
}

void add(std::vector<AdesField> fields, int line, ObservationList& list) {
    fields.erase(std::remove_if(fields.begin(),
                                fields.end(),
                                [](const AdesField& f) { return f.second.empty(); }),
                 fields.end());
    // A radar record has a delay or a Doppler shift in the place of a direction.
    const bool radar = std::any_of(fields.begin(), fields.end(), [](const AdesField& f) {
        return f.first == "delay" || f.first == "doppler";
    });
    if (radar) {
        ++list.radar;
        return;
    }
    Record record(std::move(fields));
    if (record.take("deprecated") == "X") {
        ++list.replaced;
        return;
    }
    try {
        Observation o = observationOf(record);
        o.line = line;
        list.observations.push_back(std::move(o));
    } catch (const std::string& words) {
        list.badLines.push_back({ErrorId::OrbitBadLine,
                                 fmt::format("line {}: {}; the record is left out.", line, words),
                                 {}});
    }
}

Result<ObservationList> orEmpty(ObservationList list) {
    if (list.observations.empty() && list.radar == 0) {
        return fail(ErrorId::OrbitNotReadable,
                    "Holds no observation in ADES" +
                        (list.badLines.empty() ? "." : " (" + list.badLines.front().detail + ")"));
    }
    return list;
}

} // namespace

Result<ObservationList> parseAdesPsv(const std::string& text) {
    ObservationList list;
    std::vector<std::string> heads;
    bool atHead = true;
    int number = 0;
    for (std::string_view line : split(text, '\n')) {
        ++number;
        line = trim(line);
        if (line.empty()) {
            continue;
        }
        if (line.front() == '#' || line.front() == '!') {
            atHead = true;
            continue;
        }
        const auto cells = split(line, '|');
        // A head line follows the header records, and wherever the columns change.
        const bool names = std::any_of(cells.begin(), cells.end(), [](std::string_view cell) {
            return trim(cell) == "obsTime";
        });
        if (names) {
            heads.clear();
            for (const std::string_view cell : cells) {
                heads.emplace_back(trim(cell));
            }
            atHead = false;
            continue;
        }
        if (atHead || cells.size() > heads.size()) {
            list.badLines.push_back(
                {ErrorId::OrbitBadLine,
                 atHead ? fmt::format("line {}: no line with the names of the columns stands "
                                      "before it; the record is left out.",
                                      number)
                        : fmt::format("line {}: has {} columns under a head of {}; the record is "
                                      "left out.",
                                      number,
                                      cells.size(),
                                      heads.size()),
                 {}});
            continue;
        }
        std::vector<AdesField> fields;
        for (std::size_t i = 0; i < cells.size(); ++i) {
            fields.emplace_back(heads[i], std::string(trim(cells[i])));
        }
        add(std::move(fields), number, list);
    }
    return orEmpty(std::move(list));
}

Result<ObservationList> parseAdesXml(const std::string& text) {
    pugi::xml_document document;
    const auto parsed = document.load_buffer(text.data(), text.size());
    if (!parsed) {
        return fail(ErrorId::OrbitNotReadable,
                    fmt::format("Is no XML: {} at byte {}.", parsed.description(), parsed.offset));
    }
    ObservationList list;
    std::size_t counted = 0;
    long long line = 1;
    for (const auto& found :
         document.select_nodes("//optical | //offset | //occultation | //radar")) {
        const pugi::xml_node node = found.node();
        std::vector<AdesField> fields;
        for (const pugi::xml_node child : node.children()) {
            fields.emplace_back(child.name(), std::string(trim(child.text().get())));
        }
        // The nodes come in the order of the file: lines are counted on from the last one.
        const auto offset =
            std::min(text.size(),
                     static_cast<std::size_t>(std::max<std::ptrdiff_t>(0, node.offset_debug())));
        line += std::count(text.begin() + static_cast<std::ptrdiff_t>(counted),
                           text.begin() + static_cast<std::ptrdiff_t>(std::max(counted, offset)),
                           '\n');
        counted = std::max(counted, offset);
        add(std::move(fields), static_cast<int>(line), list);
    }
    return orEmpty(std::move(list));
}

std::vector<AdesField> adesFieldsOf(const Observation& o) {
    std::vector<AdesField> f;
    const auto text = [&](const char* name, const std::string& value) {
        if (!value.empty()) {
            f.emplace_back(name, value);
        }
    };
    const auto number = [&](const char* name, const std::optional<double>& value) {
        if (value) {
            f.emplace_back(name, fmt::format("{}", *value));
        }
    };
    const bool own = o.body == o.ownName;
    if (!own && o.body.front() == '(') {
        text("permID", o.body.substr(1, o.body.size() - 2));
    } else if (!own) {
        const bool periodic =
            (o.body.back() == 'P' || o.body.back() == 'D') && o.body.find(' ') == std::string::npos;
        text(periodic ? "permID" : "provID", o.body);
    }
    text("trkSub", o.ownName);
    text("mode", o.mode.empty() ? "UNK" : o.mode);
    text("stn", o.station);
    if (o.observer && o.observer->geocentricKilometres) {
        text("sys", "ICRF_KM");
        text("ctr", "399");
        for (std::size_t i = 0; i < 3; ++i) {
            number(fmt::format("pos{}", i + 1).c_str(), (*o.observer->geocentricKilometres)[i]);
        }
    } else if (o.observer && o.observer->geodetic) {
        text("sys", "WGS84");
        text("ctr", "399");
        for (std::size_t i = 0; i < 3; ++i) {
            number(fmt::format("pos{}", i + 1).c_str(), (*o.observer->geodetic)[i]);
        }
    }
    text("obsTime", toIso(o.time, 3));
    number("rmsTime", o.sigmaTimeSeconds);
    text("ra", fmt::format("{:.8f}", o.sky.longitude.degrees()));
    text("dec", fmt::format("{:.8f}", o.sky.latitude.degrees()));
    number("rmsRA", o.sigmaRaArcsec);
    number("rmsDec", o.sigmaDecArcsec);
    if (o.correlation != 0.0) {
        number("rmsCorr", o.correlation);
    }
    text("astCat", o.starCatalogue.empty() ? "UNK" : o.starCatalogue);
    number("mag", o.magnitude);
    number("rmsMag", o.magnitudeError);
    text("band", o.band);
    text("disc", o.notes.discovery == '*' ? "*" : "");
    f.insert(f.end(), o.others.begin(), o.others.end());
    return f;
}

std::string adesTables(const std::vector<std::vector<AdesField>>& records) {
    const auto joined = [](const std::vector<AdesField>& fields, bool names) {
        std::string line;
        for (std::size_t i = 0; i < fields.size(); ++i) {
            std::string cell = names ? fields[i].first : fields[i].second;
            std::replace(cell.begin(), cell.end(), '|', '/');
            line += (i == 0 ? "" : "|") + cell;
        }
        return line + "\n";
    };
    std::string text;
    std::string head;
    for (const auto& record : records) {
        const std::string names = joined(record, true);
        if (names != head) {
            text += names;
            head = names;
        }
        text += joined(record, false);
    }
    return text;
}

std::string toAdesPsv(std::span<const Observation> observations) {
    std::vector<std::vector<AdesField>> records;
    for (const Observation& o : observations) {
        if (!o.radar) {
            records.push_back(adesFieldsOf(o));
        }
    }
    return fmt::format("# version={}\n", kAdesVersion) + adesTables(records);
}

std::string toAdesXml(std::span<const Observation> observations) {
    pugi::xml_document document;
    pugi::xml_node root = document.append_child("ades");
    root.append_attribute("version") = kAdesVersion;
    pugi::xml_node data = root.append_child("obsBlock").append_child("obsData");
    for (const Observation& o : observations) {
        if (o.radar) {
            continue;
        }
        pugi::xml_node optical = data.append_child("optical");
        for (const auto& [name, value] : adesFieldsOf(o)) {
            optical.append_child(name.c_str()).text() = value.c_str();
        }
    }
    std::ostringstream stream;
    document.save(stream, " ");
    return stream.str();
}

} // namespace pathmark::orbit
