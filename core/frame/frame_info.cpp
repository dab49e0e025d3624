#include "core/frame/frame_info.h"

#include "core/base/names.h"
#include "core/base/sexagesimal.h"
#include "core/base/text.h"
#include "core/frame/colour_pattern.h"
#include "core/frame/derive_values.h"
#include "core/frame/equipment.h"
#include "core/frame/frame_time.h"
#include "core/frame/image_path.h"

#include <erfa.h>
#include <erfam.h>
#include <fmt/format.h>

#include <array>
#include <cctype>
#include <cmath>
#include <map>
#include <utility>

namespace pathmark::frame {
namespace {

constexpr std::array kKindNames{
    std::pair{FrameKind::Unknown, "unknown"},
    std::pair{FrameKind::Bias, "bias"},
    std::pair{FrameKind::Dark, "dark"},
    std::pair{FrameKind::Flat, "flat"},
    std::pair{FrameKind::FlatDark, "flat-dark"},
    std::pair{FrameKind::Light, "light"},
};

FrameKind kindFromWords(const HeaderTable& table, std::string_view words) {
    const std::string word = table.kindOf(words);
    return word == "flat_dark" ? FrameKind::FlatDark
                               : frameKindNamed(word).value_or(FrameKind::Unknown);
}

void describeKind(FrameInfo& info, const ValueFinder& finder, const ReadingRules& rules) {
    for (auto rule = rules.kinds.rbegin(); rule != rules.kinds.rend(); ++rule) {
        if (info.path.string().find(rule->first) != std::string::npos) {
            info.kind = rule->second;
            info.kindReason = fmt::format("set by you for '{}'", rule->first);
            return;
        }
    }
    if (const auto found = finder.text("kind")) {
        info.kind = kindFromWords(rules.words, found->value);
        if (info.kind != FrameKind::Unknown) {
            info.isMaster = toLower(found->value).find("master") != std::string::npos;
            info.kindReason = fmt::format("{} = '{}'", found->keyword, found->value);
            return;
        }
    }
    for (const std::string& part :
         {info.path.parent_path().filename().string(), info.path.stem().string()}) {
        info.kind = kindFromWords(rules.words, part);
        if (info.kind != FrameKind::Unknown) {
            info.isMaster = toLower(info.path.stem().string()).find("master") != std::string::npos;
            info.kindReason = fmt::format("the name '{}'", part);
            return;
        }
    }
    if (info.midExposure && info.exposureSeconds > 0.0 && (info.pointing || !info.object.empty())) {
        info.kind = FrameKind::Light;
        info.kindReason = "a pointing or an object in the header";
        return;
    }
    info.kindReason = "neither header nor names say what it is";
}

/// The year to whose equator and equinox the header's positions refer; 2000 where it does not say.
double equinoxOf(const ValueFinder& finder, const std::optional<Utc>& middle) {
    const auto found = finder.text("equinox");
    if (!found) {
        return 2000.0;
    }
    const std::string text = toLower(found->value);
    for (const std::string_view word : {"now", "date", "app"}) {
        if (text.find(word) != std::string::npos && middle) {
            return 2000.0 + (middle->julian() - ERFA_DJ00) / ERFA_DJY;
        }
    }
    const std::size_t digits = text.find_first_of("0123456789");
    const double year =
        digits == std::string::npos ? 2000.0 : std::strtod(text.c_str() + digits, nullptr);
    return year > 1800.0 && year < 2200.0 ? year : 2000.0;
}

/// A place of the mean equator and equinox of a year, in ICRS.
///
/// Source   Precession of IAU 2006 (erfa); of positions before 1984 right to an arcsecond, enough to find a field.
SkyPos fromEquinox(const SkyPos& place, double year) {
    std::array<std::array<double, 3>, 3> toDate{};
    eraPmat06(ERFA_DJ00, (year - 2000.0) * ERFA_DJY, reinterpret_cast<double(*)[3]>(toDate.data()));
    std::array<double, 3> direction{};
    eraS2c(place.longitude.radians(), place.latitude.radians(), direction.data());
    eraTrxp(reinterpret_cast<double(*)[3]>(toDate.data()), direction.data(), direction.data());
    double longitude = 0.0;
    double latitude = 0.0;
    eraC2s(direction.data(), &longitude, &latitude);
    return {normalised(Angle::radians(longitude)), Angle::radians(latitude)};
}

std::optional<SkyPos> findPointing(const ValueFinder& finder, const std::optional<Utc>& middle) {
    for (const PointingRule& rule : finder.table().pointings()) {
        const auto ra = finder.header().text(rule.rightAscension);
        const auto dec = finder.header().text(rule.declination);
        if (!ra || !dec) {
            continue;
        }
        if (rule.rightAscension == "CRVAL1") {
            const auto type = finder.header().text("CTYPE1");
            if (type && !type->starts_with("RA")) {
                continue;
            }
        }
        const std::string comment = finder.comment(rule.rightAscension);
        const bool hours =
            comment.find("hour") != std::string::npos || comment.find("[h") != std::string::npos;
        const bool degrees = comment.find("deg") != std::string::npos;
        const PlainNumber plain = (rule.unit == "h" && !degrees) || (hours && !degrees)
                                      ? PlainNumber::Hours
                                      : PlainNumber::Degrees;
        const auto raAngle = parseSexagesimal(*ra, true, plain);
        const auto decAngle = parseSexagesimal(*dec, false, PlainNumber::Degrees);
        if (raAngle && decAngle && std::abs(decAngle->degrees()) <= 90.0 &&
            std::abs(raAngle->degrees()) <= 360.0) {
            SkyPos sky{normalised(*raAngle), *decAngle};
            std::string from = rule.rightAscension + " and " + rule.declination;
            if (const double year = equinoxOf(finder, middle); std::abs(year - 2000.0) > 0.05) {
                sky = fromEquinox(sky, year);
                from += fmt::format(", equinox {:.1f}", year);
            }
            finder.remember(
                "pointing",
                fmt::format("{} {}", toHours(sky.longitude, 1), toDegrees(sky.latitude, 0)),
                from);
            return sky;
        }
    }
    return std::nullopt;
}

/// The filter in the beam: of several wheels the one that is not at its empty place.
std::string findFilter(const ValueFinder& finder) {
    std::optional<FoundText> open;
    for (const KeywordRule& rule : finder.table().keywords("filter")) {
        const auto value = finder.header().text(rule.keyword);
        if (!value) {
            continue;
        }
        if (!finder.table().isOpenFilter(*value)) {
            std::string name = finder.table().filterName(*value);
            finder.remember("filter", name, fmt::format("{} = '{}'", rule.keyword, *value));
            return name;
        }
        if (!open) {
            open = FoundText{rule.keyword, *value};
        }
    }
    if (!open) {
        return {};
    }
    std::string name = finder.table().filterName(open->value);
    finder.remember("filter", name, fmt::format("{} = '{}'", open->keyword, open->value));
    return name;
}

void describeTemperature(FrameInfo& info, const ValueFinder& finder) {
    const auto inCelsius = [](const std::optional<FoundNumber>& found) -> std::optional<double> {
        if (!found) {
            return std::nullopt;
        }
        return found->value > 150.0 ? found->value - 273.15 : found->value; // kelvin, unsaid
    };
    const auto setFound = finder.number("set_temperature");
    const auto measuredFound = finder.number("temperature");
    const auto set = inCelsius(setFound);
    const auto measured = inCelsius(measuredFound);
    if (set && measured && std::abs(*set - *measured) > 1.5) {
        info.temperatureCelsius = measured;
        info.notes.push_back(
            fmt::format("the sensor is at {:.1f} °C, {:.1f} degrees from its set point; the "
                        "cooler does not hold it",
                        *measured,
                        *measured - *set));
        finder.remember("temperature",
                        fmt::format("{:.1f} °C", *measured),
                        measuredFound->keyword + ", not at the set point");
        return;
    }
    info.temperatureCelsius = set ? set : measured;
    if (info.temperatureCelsius) {
        finder.remember("temperature",
                        fmt::format("{:.1f} °C", *info.temperatureCelsius),
                        set ? setFound->keyword + " (set point)" : measuredFound->keyword);
    }
}

int binning(ValueFinder& finder, const std::string& section, bool second) {
    const auto found = finder.text(section);
    if (!found) {
        return 1;
    }
    // "2", "2x2", "2 2", "2*2": the first number, or of an axis of its own the second.
    std::vector<int> numbers;
    std::string digits;
    for (const char c : found->value + " ") {
        if (c >= '0' && c <= '9') {
            digits += c;
        } else if (c == '.') {
            break;
        } else if (!digits.empty()) {
            numbers.push_back(digits.size() < 4 ? std::stoi(digits) : 1);
            digits.clear();
        }
    }
    if (!digits.empty() && digits.size() < 4) {
        numbers.push_back(std::stoi(digits));
    }
    if (numbers.empty()) {
        return 1;
    }
    const int value = second && numbers.size() > 1 ? numbers[1] : numbers[0];
    if (value < 1 || value > 64) {
        return 1;
    }
    finder.remember(second ? "binning y" : "binning x", std::to_string(value), found->keyword);
    return value;
}

/// GAIN means the camera's setting to some and electrons per ADU to others; the comment tells.
void describeGain(FrameInfo& info, ValueFinder& finder) {
    const auto found = finder.number("gain_setting");
    if (found) {
        const std::string comment = finder.comment(found->keyword);
        const bool electrons = comment.find("e-") != std::string::npos ||
                               comment.find("electron") != std::string::npos ||
                               comment.find("e/adu") != std::string::npos;
        if (electrons) {
            info.electronsPerAdu = found->value;
            finder.remember("electrons per ADU",
                            fmt::format("{:g} e-/ADU", found->value),
                            found->keyword + ", by its comment");
        } else {
            info.gainSetting = found->value;
            finder.remember("gain setting", fmt::format("{:g}", found->value), found->keyword);
        }
    }
    if (const auto stated = finder.take("electrons_per_adu", "electrons per ADU", "e-/ADU")) {
        info.electronsPerAdu = stated;
    }
    if (info.electronsPerAdu && !(*info.electronsPerAdu > 0.0 && *info.electronsPerAdu < 1000.0)) {
        info.notes.push_back(
            fmt::format("{:g} e-/ADU cannot be and is passed over", *info.electronsPerAdu));
        info.electronsPerAdu.reset();
    }
    info.readNoiseElectrons = finder.take("read_noise", "read noise", "e-");
    info.saturationAdu = finder.take("saturation", "saturation", "ADU");
}

/// The pattern of the file's rows as they stand: shifted by the offsets, turned over where the header says that
/// the rows run from the bottom while the pattern is given from the top.
std::string findBayer(ValueFinder& finder, int height, std::vector<std::string>& notes) {
    std::string pattern = finder.takeText("bayer", "colour pattern");
    for (char& c : pattern) {
        c = static_cast<char>(std::toupper(static_cast<unsigned char>(c)));
    }
    auto known = ColourPattern::of(pattern);
    if (!known) {
        if (pattern.size() > 3 && pattern.find_first_not_of("RGBCMYEW") == std::string::npos) {
            notes.push_back(
                fmt::format("the colour pattern {} is neither of 2 x 2 nor of 6 x 6 pixels of "
                            "red, green and blue about the middle of cells; its pixels are taken "
                            "as those of a sensor without colours",
                            pattern));
        }
        return {};
    }
    const auto offset = [&](const char* word) {
        const auto found = finder.number(word);
        const bool isWhole = found && std::abs(found->value) < 1e6;
        return isWhole ? static_cast<int>(std::lround(found->value)) : 0;
    };
    known = known->from(offset("bayer_x"), offset("bayer_y"));
    const auto order = finder.text("row_order");
    if (order && toLower(order->value).starts_with("bottom")) {
        const auto turned = known->turnedOver(height);
        if (turned->letters() != known->letters()) {
            known = turned;
            finder.remember("colour pattern",
                            known->letters(),
                            "turned over, as " + order->keyword + " = '" + order->value + "' says");
        }
    }
    return known->letters();
}

std::optional<Site> findSite(const ValueFinder& finder) {
    const auto longitude = finder.text("site_longitude");
    const auto latitude = finder.text("site_latitude");
    if (!longitude || !latitude) {
        return std::nullopt;
    }
    const auto lon = parseSexagesimal(longitude->value, false, PlainNumber::Degrees);
    const auto lat = parseSexagesimal(latitude->value, false, PlainNumber::Degrees);
    if (!lon || !lat || std::abs(lat->degrees()) > 90.0) {
        return std::nullopt;
    }
    Site site;
    site.longitude = *lon;
    if (finder.comment(longitude->keyword).find("west") != std::string::npos &&
        lon->degrees() > 0.0 &&
        finder.comment(longitude->keyword).find("east") == std::string::npos) {
        site.longitude = Angle::degrees(-lon->degrees());
    }
    site.latitude = *lat;
    if (const auto altitude = finder.number("site_altitude")) {
        site.altitudeMetres = altitude->value;
    }
    finder.remember("site",
                    fmt::format("{:.4f}° E {:+.4f}° {:.0f} m",
                                site.longitude.degrees(),
                                lat->degrees(),
                                site.altitudeMetres),
                    longitude->keyword + " and " + latitude->keyword);
    return site;
}

void describeExposure(FrameInfo& info, ValueFinder& finder) {
    std::optional<FoundNumber> first;
    for (const KeywordRule& rule : finder.table().keywords("exposure")) {
        const auto value = finder.header().number(rule.keyword);
        if (!value || rule.keyword == "TELAPSE") {
            continue;
        }
        const double seconds = inSectionUnit(*value, rule.unit);
        // Longer than a day is no exposure of a camera, but a damaged header.
        if (!(seconds >= 0.0 && seconds <= kSecondsPerDay)) {
            info.notes.push_back(fmt::format(
                "{} = {:g} s cannot be an exposure and is passed over", rule.keyword, seconds));
            continue;
        }
        if (!first) {
            first = FoundNumber{rule.keyword, seconds};
        } else if (std::abs(seconds - first->value) >
                   0.01 * std::max(seconds, first->value) + 0.01) {
            info.notes.push_back(fmt::format("{} says {:g} s, {} says {:g} s; the former counts",
                                             first->keyword,
                                             first->value,
                                             rule.keyword,
                                             seconds));
        }
    }
    if (!first) {
        first = finder.number("exposure");
    }
    if (first && first->value >= 0.0 && first->value <= kSecondsPerDay) {
        info.exposureSeconds = first->value;
        info.exposureKnown = true;
        finder.remember("exposure", fmt::format("{:g} s", first->value), first->keyword);
    }
}

/// Returns whether a keyword states the middle itself.
bool describeTime(FrameInfo& info, const ValueFinder& finder, const CameraProfile* profile) {
    std::string problem;
    const auto time = findMidExposure(
        finder, info.exposureKnown ? std::optional(info.exposureSeconds) : std::nullopt, problem);
    if (!time) {
        info.timeReason = problem.empty() ? "no keyword gives a date with a time of day" : problem;
        return false;
    }
    info.midExposure = time->middle;
    info.timeReason = time->reason;
    info.timeStepSeconds = time->stepSeconds;
    info.notes.insert(info.notes.end(), time->notes.begin(), time->notes.end());
    if (time->exposureSeconds) {
        info.exposureSeconds = *time->exposureSeconds;
        info.exposureKnown = true;
        finder.remember(
            "exposure", fmt::format("{:g} s", info.exposureSeconds), "from start to end");
    }
    // A result of ours has the true middle, and says how its own rows follow each other.
    const bool isOurs = isOwnResult(finder.header());
    const double rowSeconds = isOurs ? finder.header().number(kRowDelayKeyword).value_or(0.0)
                              : profile != nullptr ? profile->rowSeconds
                                                   : 0.0;
    if (!isOurs && profile != nullptr && profile->clockOffsetSeconds != 0.0) {
        info.midExposure = info.midExposure->plusSeconds(-profile->clockOffsetSeconds);
        info.timeReason +=
            fmt::format("; the camera's clock is {:+g} s off", profile->clockOffsetSeconds);
    }
    if (rowSeconds != 0.0) {
        info.rowSeconds = rowSeconds;
        info.timeReason +=
            fmt::format("; each row {:g} ms later than the one before", 1e3 * rowSeconds);
    }
    finder.remember("middle of the exposure", toIso(*info.midExposure), info.timeReason);
    return time->fromMiddle;
}

/// A light of no exposure has none that is known, and then the middle is not known either, unless it is stated.
void doubtTime(FrameInfo& info, bool statesMiddle) {
    if (info.kind != FrameKind::Light || (info.exposureKnown && info.exposureSeconds > 0.0)) {
        return;
    }
    info.exposureKnown = false;
    if (info.midExposure && !statesMiddle) {
        info.timeUnsure = true;
        info.notes.push_back("the exposure is not known, so the middle of it is not either: what "
                             "is measured is not reported by itself");
    } else if (info.midExposure) {
        info.notes.push_back("the exposure is not known; its middle is stated and holds, but not "
                             "how far a body moved meanwhile");
    }
}

/// Keywords that stand in the header twice with different values.
void noteContradictions(FrameInfo& info, const Header& header) {
    std::map<std::string, std::string> seen;
    for (const Card& card : header.cards()) {
        if (card.keyword.empty() || card.keyword == "HISTORY" || card.keyword == "COMMENT" ||
            card.keyword == "CONTINUE") {
            continue;
        }
        const std::string value = cardText(card);
        const auto [place, isNew] = seen.emplace(card.keyword, value);
        if (!isNew && place->second != value) {
            info.notes.push_back(fmt::format("{} stands twice, '{}' and '{}'; the last counts",
                                             card.keyword,
                                             place->second,
                                             value));
            place->second = value;
        }
    }
}

} // namespace

const char* name(FrameKind kind) {
    return nameIn(kKindNames, kind, "unknown");
}

std::optional<FrameKind> frameKindNamed(std::string_view text) {
    return valueNamed(kKindNames, text);
}

std::optional<double> FrameInfo::scaleArcsec() const {
    if (statedScaleArcsec && *statedScaleArcsec > 0.0) {
        return statedScaleArcsec;
    }
    if (!pixelMicrometres || !focalMillimetres || *focalMillimetres <= 0.0) {
        return std::nullopt;
    }
    return Angle::radians(*pixelMicrometres * 1e-3 / *focalMillimetres).arcsec();
}

std::string frameStem(const std::filesystem::path& whole) {
    const auto [path, unit] = ImagePath::of(whole);
    if (unit >= 0) {
        return fmt::format("{}_{}", frameStem(path), unit);
    }
    const std::string extension = toLower(path.extension().string());
    const bool packed = extension == ".gz" || extension == ".fz";
    return packed ? path.stem().stem().string() : path.stem().string();
}

namespace {

/// What the observer knows of the camera counts before its headers.
void applyProfile(const CameraProfile& profile, FrameInfo& info, ValueFinder& finder) {
    const char* from = "your profile of the camera";
    if (ColourPattern::of(profile.bayerPattern)) {
        info.bayerPattern = profile.bayerPattern;
        finder.remember("colour pattern", profile.bayerPattern, from);
    }
    const auto take = [&](const std::optional<double>& own,
                          std::optional<double>& value,
                          const char* what,
                          const char* unit) {
        if (own) {
            value = own;
            finder.remember(what, fmt::format("{:g} {}", *own, unit), from);
        }
    };
    take(profile.electronsPerAdu, info.electronsPerAdu, "electrons per ADU", "e-/ADU");
    take(profile.readNoiseElectrons, info.readNoiseElectrons, "read noise", "e-");
    take(profile.darkElectronsPerSecond, info.darkElectronsPerSecond, "dark current", "e-/s");
    take(profile.saturationAdu, info.saturationAdu, "saturation", "ADU");
    take(profile.linearLimitAdu, info.saturationAdu, "linear limit", "ADU");
}

} // namespace

FrameInfo describeFrame(const std::filesystem::path& path,
                        int width,
                        int height,
                        const Header& header,
                        const ReadingRules& rules) {
    FrameInfo info;
    info.path = path;
    info.width = width;
    info.height = height;
    info.planes = header.number("NAXIS3").value_or(1.0) == 3.0 ? 3 : 1;
    ValueFinder finder(header, rules.words, info);
    noteContradictions(info, header);
    info.camera = finder.takeText("camera", "camera");
    info.telescope = finder.takeText("telescope", "telescope");
    const CameraProfile* profile = rules.equipment.camera(info.camera);
    describeExposure(info, finder);
    const bool statesMiddle = describeTime(info, finder, profile);
    describeTemperature(info, finder);
    info.filter = findFilter(finder);
    info.binningX = binning(finder, "binning_x", false);
    info.binningY = binning(finder, "binning_y", true);
    if (!finder.text("binning_y")) {
        info.binningY = info.binningX;
    }
    info.pixelMicrometres = finder.take("pixel_size", "pixel size", "um");
    info.focalMillimetres = finder.take("focal_length", "focal length", "mm");
    if (const auto* telescope = rules.equipment.telescope(info.telescope);
        telescope != nullptr && telescope->focalMillimetres && !info.focalMillimetres) {
        info.focalMillimetres = telescope->focalMillimetres;
        finder.remember("focal length",
                        fmt::format("{:g} mm", *info.focalMillimetres),
                        "your profile of the telescope");
    }
    info.statedScaleArcsec = finder.take("pixel_scale", "pixel scale", "arcsec");
    info.rotationDegrees = finder.take("rotation", "rotation", "°");
    info.pointing = findPointing(finder, info.midExposure);
    info.site = findSite(finder);
    info.siteName = finder.takeText("site_name", "site's name");
    info.object = finder.takeText("object", "object");
    info.offsetSetting = finder.take("offset_setting", "offset setting", "");
    info.readoutMode = finder.takeText("readout_mode", "read-out mode");
    describeGain(info, finder);
    info.bayerPattern = findBayer(finder, height, info.notes);
    if (profile != nullptr) {
        applyProfile(*profile, info, finder);
    }
    describeKind(info, finder, rules);
    finder.remember("kind", name(info.kind), info.kindReason);
    doubtTime(info, statesMiddle);
    return info;
}

FrameInfo
describeFrame(const std::filesystem::path& path, int width, int height, const Header& header) {
    static const ReadingRules rules;
    return describeFrame(path, width, height, header, rules);
}

} // namespace pathmark::frame
