#include "core/frame/header_table.h"

#include "core/base/expects.h"
#include "core/base/text.h"
#include "core/base/toml.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>

namespace pathmark::frame {
namespace {

constexpr std::array<const char*, 5> kKindOrder{"flat_dark", "flat", "bias", "dark", "light"};

const std::vector<std::string>& sectionNames() {
    static const std::vector<std::string> names{
        "kind",           "exposure",      "set_temperature",
        "temperature",    "filter",        "binning_x",
        "binning_y",      "pixel_size",    "focal_length",
        "pixel_scale",    "pointing",      "object",
        "camera",         "telescope",     "gain_setting",
        "offset_setting", "readout_mode",  "electrons_per_adu",
        "read_noise",     "saturation",    "bayer",
        "bayer_x",        "bayer_y",       "row_order",
        "rotation",       "site_name",     "site_longitude",
        "site_latitude",  "site_altitude", "time",
        "kinds",          "filters",       "equinox"};
    return names;
}

Error bad(const std::string& source, std::string why) {
    return {ErrorId::FrameBadEquipment, std::move(why), source};
}

/// "EXPMS [ms]" to {"EXPMS", "ms"}.
KeywordRule parseRule(const std::string& text) {
    const std::size_t bracket = text.find('[');
    KeywordRule rule{std::string(trim(text.substr(0, bracket))), {}};
    if (bracket != std::string::npos) {
        rule.unit = trim(text.substr(bracket + 1, text.find(']') - bracket - 1));
    }
    return rule;
}

template <typename T>
void putInFront(std::vector<T>& list, std::vector<T> more) {
    list.insert(list.begin(), more.begin(), more.end());
}

std::vector<std::string> lowered(const std::vector<std::string>& words) {
    std::vector<std::string> result;
    result.reserve(words.size());
    for (const std::string& word : words) {
        result.push_back(toLower(word));
    }
    return result;
}

} // namespace

const HeaderTable& HeaderTable::builtIn() {
    static const HeaderTable table = [] {
        HeaderTable made;
        const auto read = made.extend(builtInHeaderWords(), "the built-in table");
        PATHMARK_EXPECTS(read.has_value());
        return made;
    }();
    return table;
}

Result<bool> HeaderTable::extend(std::string_view text, const std::string& source) {
    try {
        return extend(Toml::parse(std::string(text), source), source);
    } catch (const TomlError& error) {
        return fail(bad(source, std::string("Cannot be read as TOML: ") + error.what() + "."));
    }
}

Result<bool> HeaderTable::extend(const Toml& root, const std::string& source) {
    try {
        for (const auto& [section, content] : root.table()) {
            const auto& known = sectionNames();
            if (std::find(known.begin(), known.end(), section) == known.end()) {
                return fail(
                    bad(source,
                        fmt::format("There is no section '{}' of header words; did you mean '{}'?",
                                    section,
                                    nearestWord(section, known))));
            }
            for (const auto& [key, value] : content.table()) {
                const auto words = value.texts();
                if (section == "filters") {
                    for (const std::string& word : lowered(words)) {
                        filters_[word] = key;
                    }
                } else if (section == "kinds") {
                    if (std::find(kKindOrder.begin(), kKindOrder.end(), key) == kKindOrder.end()) {
                        return fail(
                            bad(source, fmt::format("There is no kind of frame '{}'.", key)));
                    }
                    putInFront(kinds_[key], lowered(words));
                } else if (section == "filter" && key == "open") {
                    putInFront(openFilters_, lowered(words));
                } else if (section == "pointing" && key == "pairs") {
                    std::vector<PointingRule> rules;
                    for (const std::string& word : words) {
                        const KeywordRule rule = parseRule(word);
                        const auto pair = split(rule.keyword, ' ');
                        if (pair.size() != 2) {
                            return fail(bad(source,
                                            fmt::format("'{}' should be two keywords, as in "
                                                        "'RA DEC [deg]'.",
                                                        word)));
                        }
                        rules.push_back({std::string(pair[0]), std::string(pair[1]), rule.unit});
                    }
                    putInFront(pointings_, std::move(rules));
                } else if (section == "time" || key == "keywords") {
                    std::vector<KeywordRule> rules;
                    std::transform(
                        words.begin(), words.end(), std::back_inserter(rules), parseRule);
                    putInFront(keywords_[section == "time" ? "time." + key : section],
                               std::move(rules));
                } else {
                    return fail(
                        bad(source,
                            fmt::format("There is no key '{}' in [{}]; did you mean 'keywords'?",
                                        key,
                                        section)));
                }
            }
        }
    } catch (const TomlError& error) {
        return fail(bad(source, std::string("Cannot be read as TOML: ") + error.what() + "."));
    }
    return true;
}

const std::vector<KeywordRule>& HeaderTable::keywords(const std::string& section) const {
    static const std::vector<KeywordRule> none;
    const auto found = keywords_.find(section);
    return found == keywords_.end() ? none : found->second;
}

std::string HeaderTable::filterName(std::string_view text) const {
    const std::string word(trim(text));
    const auto found = filters_.find(toLower(word));
    return found == filters_.end() ? word : found->second;
}

bool HeaderTable::isOpenFilter(std::string_view text) const {
    const std::string lower = toLower(trim(text));
    return std::find(openFilters_.begin(), openFilters_.end(), lower) != openFilters_.end();
}

std::string HeaderTable::kindOf(std::string_view words) const {
    const std::string lower = toLower(words);
    for (const char* kind : kKindOrder) {
        const auto found = kinds_.find(kind);
        if (found != kinds_.end() &&
            std::any_of(found->second.begin(), found->second.end(), [&](const std::string& word) {
                return lower.find(word) != std::string::npos;
            })) {
            return kind;
        }
    }
    return {};
}

} // namespace pathmark::frame
