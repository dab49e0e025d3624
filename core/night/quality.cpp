#include "core/night/quality.h"

#include "core/base/robust.h"
#include "core/base/text.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <map>
#include <sstream>
#include <utility>

namespace pathmark::night {
namespace {

constexpr double kNan = std::numeric_limits<double>::quiet_NaN();

struct Named {
    Quality quality;
    const char* name;
    const char* title;
    const char* unit;
};

constexpr std::array kNames{
    Named{Quality::Fwhm, "fwhm", "FWHM", "px"},
    Named{Quality::Sky, "sky", "sky", "e-"},
    Named{Quality::Noise, "noise", "noise", "e-"},
    Named{Quality::Elongation, "elongation", "elongation", ""},
    Named{Quality::Stars, "stars", "stars", ""},
    Named{Quality::Transparency, "transparency", "transparency", ""},
    Named{Quality::Drift, "drift", "drift", "arcsec"},
};

constexpr auto kAll = [] {
    std::array<Quality, kNames.size()> all{};
    for (std::size_t i = 0; i < all.size(); ++i) {
        all[i] = kNames[i].quality;
    }
    return all;
}();

const Named& namedOf(Quality quality) {
    return *std::find_if(
        kNames.begin(), kNames.end(), [&](const Named& n) { return n.quality == quality; });
}

double plainQuality(const LightRecord& light, Quality quality) {
    const bool seen = light.fwhmPixels > 0.0;
    switch (quality) {
    case Quality::Fwhm: return seen ? light.fwhmPixels : kNan;
    case Quality::Sky: return light.noiseElectrons > 0.0 ? light.skyElectrons : kNan;
    case Quality::Noise: return light.noiseElectrons > 0.0 ? light.noiseElectrons : kNan;
    case Quality::Elongation: return seen ? light.elongation : kNan;
    case Quality::Stars:
        return light.noiseElectrons > 0.0 || !light.withoutSources.empty()
                   ? static_cast<double>(light.sources)
                   : kNan; // nobody has looked
    case Quality::Transparency:
        return light.photometry ? std::pow(10.0, 0.4 * light.photometry->zeroPoint) : kNan;
    case Quality::Drift: return kNan;
    }
    return kNan;
}

std::map<SeriesId, std::vector<std::size_t>> seriesOf(std::span<const LightRecord> lights) {
    std::map<SeriesId, std::vector<std::size_t>> series;
    for (std::size_t i = 0; i < lights.size(); ++i) {
        series[lights[i].series].push_back(i);
    }
    return series;
}

} // namespace

const char* name(Quality quality) {
    return namedOf(quality).name;
}

const char* title(Quality quality) {
    return namedOf(quality).title;
}

std::optional<Quality> qualityNamed(std::string_view text) {
    for (const Named& known : kNames) {
        if (text == known.name) {
            return known.quality;
        }
    }
    return std::nullopt;
}

std::span<const Quality> allQualities() {
    return kAll;
}

const char* unitOf(Quality quality) {
    return namedOf(quality).unit;
}

std::vector<double> qualitiesOf(std::span<const LightRecord> lights, Quality quality) {
    std::vector<double> values;
    for (const LightRecord& light : lights) {
        values.push_back(plainQuality(light, quality));
    }
    for (const auto& entry : seriesOf(lights)) {
        const auto& members = entry.second;
        if (quality == Quality::Transparency) {
            double best = 0.0;
            for (const std::size_t i : members) {
                best = std::isfinite(values[i]) ? std::max(best, values[i]) : best;
            }
            for (const std::size_t i : members) {
                values[i] /= best;
            }
        } else if (quality == Quality::Drift) {
            const auto first = std::find_if(
                members.begin(), members.end(), [&](std::size_t i) { return lights[i].solved(); });
            for (const std::size_t i : members) {
                if (first != members.end() && lights[i].solved()) {
                    values[i] =
                        separation(lights[i].skyMiddle(), lights[*first].skyMiddle()).arcsec();
                }
            }
        }
    }
    return values;
}

std::optional<ExclusionRule> ruleFrom(std::string_view text) {
    std::istringstream stream{std::string(text)};
    std::string quality;
    std::string side;
    std::string limit;
    std::string of;
    std::string more;
    stream >> quality >> side >> limit >> of >> more;
    const auto known = qualityNamed(quality);
    const auto number = parseNumber(limit);
    if (!known || (side != "above" && side != "below") || !number || !std::isfinite(*number) ||
        (!of.empty() && of != "median") || !more.empty()) {
        return std::nullopt;
    }
    return ExclusionRule{*known, side == "above", *number, of == "median"};
}

std::string words(const ExclusionRule& rule) {
    const Named& named = namedOf(rule.quality);
    const std::string unit = rule.timesMedian      ? " x median"
                             : *named.unit == '\0' ? ""
                                                   : std::string(" ") + named.unit;
    return fmt::format(
        "{} {} {:g}{}", named.title, rule.above ? "above" : "below", rule.limit, unit);
}

std::vector<double> seriesMedians(std::span<const LightRecord> lights,
                                  std::span<const double> values) {
    std::vector<double> medians(lights.size(), kNan);
    for (const auto& entry : seriesOf(lights)) {
        std::vector<double> known;
        for (const std::size_t i : entry.second) {
            if (std::isfinite(values[i])) {
                known.push_back(values[i]);
            }
        }
        // NaN where nothing is known.
        const double median = medianInPlace(std::span(known));
        for (const std::size_t i : entry.second) {
            medians[i] = median;
        }
    }
    return medians;
}

std::vector<bool> fallsOut(std::span<const LightRecord> lights, const ExclusionRule& rule) {
    const auto values = qualitiesOf(lights, rule.quality);
    const auto medians = seriesMedians(lights, values);
    std::vector<bool> out(lights.size(), false);
    for (std::size_t i = 0; i < lights.size(); ++i) {
        const double limit = rule.timesMedian ? rule.limit * medians[i] : rule.limit;
        // A comparison with NaN is false either way: what is not known stays.
        out[i] = rule.above ? values[i] > limit : values[i] < limit;
    }
    return out;
}

} // namespace pathmark::night
