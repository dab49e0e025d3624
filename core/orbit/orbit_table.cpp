#include "core/orbit/orbit_table.h"

#include "core/base/text.h"
#include "core/orbit/designation.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <array>
#include <cmath>

namespace pathmark::orbit {
namespace {

using nlohmann::json;

std::optional<double> number(const json& entry, const char* key) {
    const auto found = entry.find(key);
    if (found == entry.end()) {
        return std::nullopt;
    }
    if (found->is_number()) {
        return found->get<double>();
    }
    return found->is_string() ? parseNumber(found->get<std::string>()) : std::nullopt;
}

Error missing(std::size_t index, const std::string& name, const char* key) {
    return {ErrorId::OrbitBadLine,
            fmt::format("entry {} ({}) has no number '{}'", index + 1, name, key),
            {}};
}

/// Perihelion time from mean anomaly at the epoch.
Tdb perihelionTime(const Tdb& epoch, double a, double meanAnomalyDegrees) {
    const double motion = std::sqrt(kSunGm / (a * a * a));
    const double anomaly = std::remainder(meanAnomalyDegrees, 360.0) * kRadiansPerDegree;
    return Tdb::julian(epoch.day(), epoch.fraction() - anomaly / motion);
}

Result<Elements> fromFullPrecision(const json& entry, std::size_t index) {
    Elements e;
    e.name = entry.value("name", std::string());
    if (e.name.empty()) {
        return fail(ErrorId::OrbitBadLine, fmt::format("entry {} has no 'name'", index + 1));
    }
    if (const std::string frame = entry.value("frame", "ecliptic J2000");
        frame != "ecliptic J2000") {
        return fail(
            ErrorId::OrbitBadLine,
            fmt::format(
                "entry {} ({}): frame '{}' is not 'ecliptic J2000'", index + 1, e.name, frame));
    }
    static constexpr std::array keys{"epoch_jd_tdb", "q_au", "e", "i_deg", "node_deg", "peri_deg"};
    std::array<double, keys.size()> v{};
    for (std::size_t k = 0; k < keys.size(); ++k) {
        const auto value = number(entry, keys[k]);
        if (!value) {
            return fail(missing(index, e.name, keys[k]));
        }
        v[k] = *value;
    }
    const double whole = std::floor(v[0]);
    e.epoch = Tdb::julian(whole, v[0] - whole);
    e.perihelionAu = v[1];
    e.eccentricity = v[2];
    e.inclination = Angle::degrees(v[3]);
    e.node = Angle::degrees(v[4]);
    e.argument = Angle::degrees(v[5]);
    if (!(v[1] > 0.0) || v[2] < 0.0) {
        return fail(missing(index, e.name, "q_au"));
    }
    const auto tp = number(entry, "tp_jd_tdb");
    const auto meanAnomaly = number(entry, "M_deg");
    if (tp) {
        e.perihelionTime = Tdb::julian(std::floor(*tp), *tp - std::floor(*tp));
    } else if (meanAnomaly && e.eccentricity < 1.0) {
        e.perihelionTime =
            perihelionTime(e.epoch, e.perihelionAu / (1.0 - e.eccentricity), *meanAnomaly);
    } else {
        return fail(missing(index, e.name, "tp_jd_tdb"));
    }
    e.brightness.h = number(entry, "H");
    e.brightness.g = number(entry, "G").value_or(0.15);
    e.brightness.m1 = number(entry, "M1");
    e.brightness.k1 = number(entry, "K1").value_or(10.0);
    e.packed = entry.value("packed", packDesignation(e.name).value_or(""));
    return e;
}

/// An entry of the MPC's orbit export: a, e, i, Node, Peri, M, Epoch and names under their own keys.
Result<Elements> fromMpcExport(const json& entry, std::size_t index) {
    Elements e;
    if (entry.contains("Number")) {
        e.name = entry["Number"].is_string() ? entry["Number"].get<std::string>()
                                             : fmt::format("({})", entry["Number"].dump());
        if (!e.name.starts_with('(')) {
            e.name = "(" + e.name + ")";
        }
    } else {
        e.name = entry.value("Principal_desig", std::string());
    }
    static constexpr std::array keys{"Epoch", "a", "e", "i", "Node", "Peri", "M"};
    std::array<double, keys.size()> v{};
    for (std::size_t k = 0; k < keys.size(); ++k) {
        const auto value = number(entry, keys[k]);
        if (!value) {
            return fail(missing(index, e.name, keys[k]));
        }
        v[k] = *value;
    }
    e.epoch = Tdb::julian(v[0]);
    e.eccentricity = v[2];
    e.perihelionAu = v[1] * (1.0 - v[2]);
    e.inclination = Angle::degrees(v[3]);
    e.node = Angle::degrees(v[4]);
    e.argument = Angle::degrees(v[5]);
    e.perihelionTime = perihelionTime(e.epoch, v[1], v[6]);
    e.brightness.h = number(entry, "H");
    e.brightness.g = number(entry, "G").value_or(0.15);
    e.packed = packDesignation(e.name).value_or("");
    return e;
}

} // namespace

Result<std::vector<Elements>> parseOrbitJson(const std::string& text) {
    const json document = json::parse(text, nullptr, false);
    if (document.is_discarded()) {
        return fail(ErrorId::OrbitBadLine, "is not valid JSON");
    }
    std::vector<json> entries;
    if (document.is_array()) {
        entries.assign(document.begin(), document.end());
    } else {
        entries.push_back(document);
    }
    std::vector<Elements> result;
    for (std::size_t i = 0; i < entries.size(); ++i) {
        if (!entries[i].is_object()) {
            return fail(ErrorId::OrbitBadLine, fmt::format("entry {} is not an object", i + 1));
        }
        auto e = entries[i].contains("Epoch") ? fromMpcExport(entries[i], i)
                                              : fromFullPrecision(entries[i], i);
        if (!e) {
            return fail(e.error());
        }
        result.push_back(std::move(*e));
    }
    return result;
}

} // namespace pathmark::orbit
