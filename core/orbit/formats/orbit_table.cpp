#include "core/orbit/formats/orbit_table.h"

#include "core/base/text.h"
#include "core/orbit/formats/designation.h"
#include "core/orbit/motion/kepler.h"

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
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

Error missing(const std::string& name, const char* key) {
    return {ErrorId::OrbitBadLine, fmt::format("{} has no number '{}'", name, key), {}};
}

/// Perihelion time from mean anomaly at the epoch.
Tdb perihelionTime(const Tdb& epoch, double a, double meanAnomalyDegrees) {
    const double motion = std::sqrt(kSunGm / (a * a * a));
    const double anomaly = std::remainder(meanAnomalyDegrees, 360.0) * kRadiansPerDegree;
    return Tdb::julian(epoch.day(), epoch.fraction() - anomaly / motion);
}

/// "covariance": rows of six to nine numbers over the state at the epoch, and A1, A2, A3.
std::shared_ptr<const OrbitCovariance> covarianceOf(const json& entry) {
    const auto rows = entry.find("covariance");
    if (rows == entry.end() || !rows->is_array() || rows->size() < 6 || rows->size() > 9) {
        return nullptr;
    }
    auto covariance = std::make_shared<OrbitCovariance>();
    for (std::size_t i = 0; i < rows->size(); ++i) {
        const json& row = (*rows)[i];
        if (!row.is_array() || row.size() != rows->size()) {
            return nullptr;
        }
        for (std::size_t j = 0; j < row.size(); ++j) {
            if (!row[j].is_number()) {
                return nullptr;
            }
            covariance->matrix[OrbitCovariance::kMost * i + j] = row[j].get<double>();
        }
    }
    return covariance;
}

Result<Elements> fromFullPrecision(const json& entry) {
    Elements e;
    e.name = entry.value("name", std::string());
    if (e.name.empty()) {
        return fail(ErrorId::OrbitBadLine, "has no 'name'");
    }
    if (const std::string frame = entry.value("frame", "ecliptic J2000");
        frame != "ecliptic J2000") {
        return fail(ErrorId::OrbitBadLine,
                    fmt::format("{}: frame '{}' is not 'ecliptic J2000'", e.name, frame));
    }
    static constexpr std::array keys{"epoch_jd_tdb", "q_au", "e", "i_deg", "node_deg", "peri_deg"};
    std::array<double, keys.size()> v{};
    for (std::size_t k = 0; k < keys.size(); ++k) {
        const auto value = number(entry, keys[k]);
        if (!value) {
            return fail(missing(e.name, keys[k]));
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
        return fail(missing(e.name, "q_au"));
    }
    const auto tp = number(entry, "tp_jd_tdb");
    const auto meanAnomaly = number(entry, "M_deg");
    if (tp) {
        e.perihelionTime = Tdb::julian(std::floor(*tp), *tp - std::floor(*tp));
    } else if (meanAnomaly && e.eccentricity < 1.0) {
        e.perihelionTime =
            perihelionTime(e.epoch, e.perihelionAu / (1.0 - e.eccentricity), *meanAnomaly);
    } else {
        return fail(missing(e.name, "tp_jd_tdb"));
    }
    e.brightness.h = number(entry, "H");
    e.brightness.g = number(entry, "G").value_or(0.15);
    e.brightness.m1 = number(entry, "M1");
    e.brightness.k1 = number(entry, "K1").value_or(10.0);
    e.brightness.g2 = number(entry, "G2");
    const auto a1 = number(entry, "A1");
    const auto a2 = number(entry, "A2");
    const auto a3 = number(entry, "A3");
    if (a1.value_or(0.0) != 0.0 || a2.value_or(0.0) != 0.0 || a3.value_or(0.0) != 0.0) {
        e.outgassing = Outgassing{a1.value_or(0.0), a2.value_or(0.0), a3.value_or(0.0)};
    }
    e.runoffArcsecPerDecade = number(entry, "runoff_arcsec_per_decade");
    e.covariance = covarianceOf(entry);
    e.packed = entry.value("packed", packDesignation(e.name).value_or(""));
    return e;
}

/// An entry of the MPC's orbit export: a, e, i, Node, Peri, M, Epoch and names under their own keys.
Result<Elements> fromMpcExport(const json& entry) {
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
            return fail(missing(e.name, keys[k]));
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

/// The upper triangle cov00 ... cov55 on ecliptic axes as ours.
std::shared_ptr<const OrbitCovariance> turnedCovariance(const json& matrix) {
    std::array<std::array<double, 6>, 6> c{};
    for (std::size_t i = 0; i < 6; ++i) {
        for (std::size_t j = i; j < 6; ++j) {
            const auto value = number(matrix, fmt::format("cov{}{}", i, j).c_str());
            if (!value) {
                return nullptr;
            }
            c[i][j] = c[j][i] = *value;
        }
    }
    // Rows and columns are turned like vectors: R C R^T, three by three.
    const auto turned = [](std::array<std::array<double, 6>, 6> m) {
        std::array<std::array<double, 6>, 6> t{};
        for (std::size_t column = 0; column < 6; ++column) {
            for (std::size_t half = 0; half < 6; half += 3) {
                const Vec3 v =
                    eclipticToIcrs({m[half][column], m[half + 1][column], m[half + 2][column]});
                for (std::size_t i = 0; i < 3; ++i) {
                    t[column][half + i] = v[i]; // transposed, for the second turn
                }
            }
        }
        return t;
    };
    const auto both = turned(turned(c));
    auto covariance = std::make_shared<OrbitCovariance>();
    for (std::size_t i = 0; i < 6; ++i) {
        for (std::size_t j = 0; j < 6; ++j) {
            covariance->matrix[OrbitCovariance::kMost * i + j] = both[i][j];
        }
    }
    return covariance;
}

/// The MPC's record of one orbit: elements under COM, the state's covariance under CAR.
///
/// Source   Minor Planet Center, "mpc_orb JSON format": q, e, i, node, argperi, peri_time (MJD, TT), ecliptic J2000;
///          x, y, z, vx, vy, vz on the same axes.
Result<Elements> fromMpcRecord(const json& entry) {
    Elements e;
    const json& names = entry.value("designation_data", json::object());
    e.name = names.value("permid", std::string());
    if (!e.name.empty() && e.name.find_first_not_of("0123456789") == std::string::npos) {
        e.name = "(" + e.name + ")";
    }
    if (e.name.empty()) {
        e.name = names.value("unpacked_primary_provisional_designation", std::string());
    }
    const json& com = entry["COM"];
    const auto coefficient = [&](const char* wanted) -> std::optional<double> {
        const json& keys = com.value("coefficient_names", json::array());
        const json& values = com.value("coefficient_values", json::array());
        for (std::size_t i = 0; i < std::min(keys.size(), values.size()); ++i) {
            if (keys[i] == wanted && values[i].is_number()) {
                return values[i].get<double>();
            }
        }
        return std::nullopt;
    };
    static constexpr std::array keys{"q", "e", "i", "node", "argperi", "peri_time"};
    std::array<double, keys.size()> v{};
    for (std::size_t k = 0; k < keys.size(); ++k) {
        const auto value = coefficient(keys[k]);
        if (!value) {
            return fail(missing(e.name, keys[k]));
        }
        v[k] = *value;
    }
    const auto epoch = number(entry.value("epoch_data", json::object()), "epoch");
    if (!epoch || !(v[0] > 0.0) || v[1] < 0.0) {
        return fail(missing(e.name, "epoch"));
    }
    e.epoch = Tdb::julian(2400000.5 + std::floor(*epoch), *epoch - std::floor(*epoch));
    e.perihelionAu = v[0];
    e.eccentricity = v[1];
    e.inclination = Angle::degrees(v[2]);
    e.node = Angle::degrees(v[3]);
    e.argument = Angle::degrees(v[4]);
    e.perihelionTime = Tdb::julian(2400000.5 + std::floor(v[5]), v[5] - std::floor(v[5]));
    const json& magnitudes = entry.value("magnitude_data", json::object());
    e.brightness.h = number(magnitudes, "H");
    e.brightness.g = number(magnitudes, "G").value_or(0.15);
    const json& matrix = entry.value("CAR", json::object()).value("covariance", json::object());
    if (matrix.contains("cov00")) {
        e.covariance = turnedCovariance(matrix);
    }
    e.packed = packDesignation(e.name).value_or("");
    return e;
}

Result<Elements> fromEntry(const json& entry) {
    if (entry.contains("COM")) {
        return fromMpcRecord(entry);
    }
    return entry.contains("Epoch") ? fromMpcExport(entry) : fromFullPrecision(entry);
}

/// An entry of the wrong kind of value throws inside the library: said as a bad entry.
Result<Elements> orNamed(const json& entry) {
    try {
        return fromEntry(entry);
    } catch (const json::exception& e) {
        return fail(ErrorId::OrbitBadLine,
                    std::string("holds a value of the wrong kind: ") + e.what());
    }
}

/// The end of the object that starts at `from`, one past its brace; npos where it is cut off.
std::size_t endOfObject(std::string_view text, std::size_t from) {
    int depth = 0;
    bool inString = false;
    for (std::size_t i = from; i < text.size(); ++i) {
        const char c = text[i];
        if (inString) {
            i += c == '\\' ? 1 : 0;
            inString = c != '"';
        } else if (c == '"') {
            inString = true;
        } else if (c == '{') {
            ++depth;
        } else if (c == '}' && --depth == 0) {
            return i + 1;
        }
    }
    return std::string_view::npos;
}

json tableEntry(const Elements& e) {
    json entry{{"name", e.name},
               {"epoch_jd_tdb", e.epoch.julian()},
               {"frame", "ecliptic J2000"},
               {"q_au", e.perihelionAu},
               {"e", e.eccentricity},
               {"i_deg", e.inclination.degrees()},
               {"node_deg", e.node.degrees()},
               {"peri_deg", e.argument.degrees()},
               {"tp_jd_tdb", e.perihelionTime.julian()}};
    const auto put = [&](const char* key, const std::optional<double>& value) {
        if (value) {
            entry[key] = *value;
        }
    };
    if (!e.packed.empty()) {
        entry["packed"] = e.packed;
    }
    put("H", e.brightness.h);
    if (e.brightness.h) {
        entry["G"] = e.brightness.g;
    }
    put("G2", e.brightness.g2);
    put("M1", e.brightness.m1);
    if (e.brightness.m1) {
        entry["K1"] = e.brightness.k1;
    }
    if (e.outgassing) {
        entry["A1"] = e.outgassing->radial;
        entry["A2"] = e.outgassing->transverse;
        entry["A3"] = e.outgassing->normal;
    }
    put("runoff_arcsec_per_decade", e.runoffArcsecPerDecade);
    if (e.covariance) {
        constexpr std::size_t most = OrbitCovariance::kMost;
        const auto& m = e.covariance->matrix;
        const std::size_t size = m[most * most - 1] != 0.0 || m[6 * most + 6] != 0.0 ? most : 6;
        json rows = json::array();
        for (std::size_t i = 0; i < size; ++i) {
            rows.push_back(json::array());
            for (std::size_t j = 0; j < size; ++j) {
                rows.back().push_back(m[most * i + j]);
            }
        }
        entry["covariance"] = rows;
    }
    return entry;
}

json mpcEntry(const Elements& e) {
    const double a = e.perihelionAu / (1.0 - e.eccentricity);
    const double motion = std::sqrt(kSunGm / (a * a * a)) / kRadiansPerDegree;
    const double days = e.epoch.secondsSince(e.perihelionTime) / kSecondsPerDay;
    json entry{{"Epoch", e.epoch.julian()},
               {"a", a},
               {"e", e.eccentricity},
               {"i", e.inclination.degrees()},
               {"Node", e.node.degrees()},
               {"Peri", e.argument.degrees()},
               {"M", normalised(Angle::degrees(motion * days)).degrees()}};
    entry[e.name.starts_with('(') ? "Number" : "Principal_desig"] = e.name;
    if (e.brightness.h) {
        entry["H"] = *e.brightness.h;
        entry["G"] = e.brightness.g;
    }
    return entry;
}

std::string asList(std::span<const Elements> orbits, json (*entryOf)(const Elements&)) {
    std::string text = "[";
    for (std::size_t i = 0; i < orbits.size(); ++i) {
        text += (i == 0 ? "\n" : ",\n") + entryOf(orbits[i]).dump();
    }
    return text + "\n]\n";
}

} // namespace

Result<OrbitList> parseOrbitJson(std::string_view text) {
    const std::size_t first = text.find_first_not_of(" \t\r\n");
    if (first == std::string_view::npos || (text[first] != '[' && text[first] != '{')) {
        return fail(ErrorId::OrbitBadLine, "is neither a list nor an object of JSON");
    }
    OrbitList list;
    std::size_t counted = 0;
    long long line = 1;
    for (std::size_t at = text.find('{'); at != std::string_view::npos;) {
        line += std::count(text.begin() + static_cast<std::ptrdiff_t>(counted),
                           text.begin() + static_cast<std::ptrdiff_t>(at),
                           '\n');
        counted = at;
        const std::size_t end = endOfObject(text, at);
        const bool cut = end == std::string_view::npos;
        const json entry = cut ? json(json::value_t::discarded)
                               : json::parse(text.substr(at, end - at), nullptr, false);
        Result<Elements> orbit = fail(ErrorId::OrbitBadLine,
                                      cut ? "the file ends inside this entry" : "is no valid JSON");
        if (!entry.is_discarded()) {
            orbit = orNamed(entry);
        }
        if (orbit) {
            list.orbits.push_back(std::move(*orbit));
        } else {
            list.badLines.push_back({ErrorId::OrbitBadLine,
                                     fmt::format("line {}: entry {}: {}; the entry is left out.",
                                                 line,
                                                 list.orbits.size() + list.badLines.size() + 1,
                                                 orbit.error().detail),
                                     {}});
        }
        at = cut ? end : text.find('{', end);
    }
    return list;
}

std::string toOrbitTable(std::span<const Elements> orbits) {
    return asList(orbits, tableEntry);
}

std::string toMpcJson(std::span<const Elements> orbits) {
    return asList(orbits, mpcEntry);
}

} // namespace pathmark::orbit
