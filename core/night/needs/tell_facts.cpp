#include "core/base/sexagesimal.h"
#include "core/base/text.h"
#include "core/catalog/star_store.h"
#include "core/night/needs/night_facts.h"
#include "core/night/needs/site_text.h"

#include <fmt/format.h>

#include <algorithm>
#include <sstream>

// What the observer says of a night, taken into the profiles.
namespace pathmark::night {
namespace {

namespace fs = std::filesystem;

tl::unexpected<Error> wrong(std::string why) {
    return fail(ErrorId::CommandWrongUse, std::move(why));
}

std::vector<std::string> partsOf(const std::string& text) {
    std::vector<std::string> parts;
    for (const std::string_view part : split(text, ';')) {
        if (!trim(part).empty()) {
            parts.emplace_back(trim(part));
        }
    }
    return parts;
}

/// "11 06 35 +06 24 53", "11:06:35 +6:24:53", or two numbers in degrees.
std::optional<SkyPos> skyFrom(const std::string& text) {
    std::istringstream stream(text);
    std::vector<std::string> words;
    for (std::string word; stream >> word;) {
        words.push_back(word);
    }
    if (words.size() < 2 || words.size() % 2 != 0) {
        return std::nullopt;
    }
    const auto half = [&](std::size_t first) {
        std::string part;
        for (std::size_t i = 0; i < words.size() / 2; ++i) {
            part += (part.empty() ? "" : " ") + words[first + i];
        }
        return part;
    };
    const auto ra = parseSexagesimal(half(0), true, PlainNumber::Degrees);
    const auto dec = parseSexagesimal(half(words.size() / 2), false, PlainNumber::Degrees);
    if (!ra || !dec || std::abs(dec->degrees()) > 90.0) {
        return std::nullopt;
    }
    return SkyPos{normalised(*ra), *dec};
}

/// The profile of a name, made where there is none: like the one that counted so far.
template <typename Profile>
Profile&
profileNamed(std::vector<Profile>& profiles, const std::string& name, const Profile* soFar) {
    const auto found = std::find_if(
        profiles.begin(), profiles.end(), [&](const Profile& p) { return p.name == name; });
    if (found != profiles.end()) {
        return *found;
    }
    profiles.push_back(soFar != nullptr ? *soFar : Profile{});
    profiles.back().name = name;
    return profiles.back();
}

void setCamera(frame::CameraProfile& camera, FactKind kind, const std::optional<double>& value) {
    switch (kind) {
    case FactKind::Gain: camera.electronsPerAdu = value; break;
    case FactKind::ReadNoise: camera.readNoiseElectrons = value; break;
    case FactKind::DarkCurrent: camera.darkElectronsPerSecond = value; break;
    case FactKind::LinearLimit: camera.linearLimitAdu = value; break;
    case FactKind::Saturation: camera.saturationAdu = value; break;
    case FactKind::ClockOffset: camera.clockOffsetSeconds = value.value_or(0.0); break;
    case FactKind::RowDelay: camera.rowSeconds = value.value_or(0.0); break;
    default: break;
    }
}

} // namespace

Result<bool> NightFacts::tell(FactKind kind, const std::string& of, const std::string& typed) {
    const std::string text(trim(typed));
    switch (kind) {
    case FactKind::Site: return tellSite(text);
    case FactKind::Pointing: return tellPointing(of, text);
    case FactKind::Observer:
        told_.observers = profiles_.observers = partsOf(text);
        layOver();
        return true;
    case FactKind::Measurer:
        told_.measurers = profiles_.measurers = partsOf(text);
        layOver();
        return true;
    case FactKind::Catalogue: return tellCatalogue(text);
    case FactKind::Orbits: return tellOrbits(text);
    case FactKind::SiteCodes:
    case FactKind::EarthOrientation:
    case FactKind::LeapSeconds: return wrong("This is fetched as it is.");
    default: return tellEquipment(kind, of, text);
    }
}

Result<bool> NightFacts::tellSite(const std::string& text) {
    if (text.empty()) {
        told_.site.reset();
        for (auto& camera : profiles_.cameras) {
            camera.site.clear();
        }
        layOver();
        return true;
    }
    frame::SiteProfile profile;
    const FoundSite header = siteOfHeader();
    if (const auto* known = siteNamed(text)) {
        profile = *known;
    } else if (auto site = siteFromText(text, codes_)) {
        profile.site = std::move(*site);
    } else if (header.site && text.size() == 3) {
        // A code that no list here has, of the place that the headers say.
        profile.site = *header.site;
        profile.site.code = text;
    } else {
        return fail(site.error());
    }
    if (profile.name.empty()) {
        profile.name = !header.name.empty()         ? header.name
                       : !profile.site.code.empty() ? profile.site.code
                                                    : siteText(profile.site);
    }
    profileNamed(profiles_.sites, profile.name, &profile) = profile;
    for (const auto& entry : cameras_) {
        profileNamed(profiles_.cameras, entry.first, own_.camera(entry.first)).site = profile.name;
    }
    told_.site = profile.site;
    told_.siteName = profile.name;
    layOver();
    return true;
}

Result<bool> NightFacts::tellPointing(const std::string& of, const std::string& text) {
    const auto place = skyFrom(text);
    if (!place && !text.empty()) {
        return wrong("Give right ascension and declination: 11 06 35 +06 24 53, or in degrees: "
                     "166.65 6.41.");
    }
    std::erase_if(profiles_.fields, [&](const auto& field) { return field.name == of; });
    pointings_.erase(of);
    if (place) {
        pointings_[of] = *place;
        if (!of.empty()) {
            profiles_.fields.push_back({of, *place});
        }
    }
    layOver();
    return true;
}

void NightFacts::setPointing(const SkyPos& pointing) {
    for (const Known& light : lights_) {
        if (!light.example.pointing) {
            pointings_[light.example.object] = pointing;
        }
    }
}

Result<bool> NightFacts::tellCatalogue(const std::string& text) {
    frame::DataProfile data;
    if (!text.empty()) {
        fs::path path = text;
        if (path.extension() == ".stars") {
            data.catalog = path.stem().string();
            path = path.parent_path();
        }
        data.store = path;
        const auto names = catalog::StarStore::names(path);
        if (data.catalog.empty() && names.size() == 1) {
            data.catalog = names.front();
        }
        if (std::find(names.begin(), names.end(), data.catalog) == names.end()) {
            return fail(ErrorId::CatalogNotFound,
                        names.empty() ? "There is no star catalogue here."
                                      : fmt::format("Choose one of the catalogues here: {}.",
                                                    fmt::join(names, ", ")),
                        text);
        }
    }
    told_.store = profiles_.data.store = data.store;
    told_.catalog = profiles_.data.catalog = data.catalog;
    layOver();
    return true;
}

Result<bool> NightFacts::tellOrbits(const std::string& text) {
    std::vector<fs::path> files;
    for (const std::string& part : partsOf(text)) {
        std::error_code ignored;
        if (!fs::exists(part, ignored)) {
            return wrong(part + " is not there.");
        }
        files.emplace_back(part);
    }
    told_.orbits = profiles_.data.orbits = files;
    layOver();
    return true;
}

Result<bool>
NightFacts::tellEquipment(FactKind kind, const std::string& of, const std::string& text) {
    const bool isText = kind == FactKind::Detector || kind == FactKind::Telescope;
    std::optional<double> number;
    if (!isText && !text.empty()) {
        number = parseNumber(text);
        if (!number) {
            return wrong(text + " is no number.");
        }
    }
    frame::Equipment changed = profiles_;
    const auto telescope = [&]() -> frame::TelescopeProfile& {
        return profileNamed(changed.telescopes, of, own_.telescope(of));
    };
    const auto camera = [&]() -> frame::CameraProfile& {
        return profileNamed(changed.cameras, of, own_.camera(of));
    };
    switch (kind) {
    case FactKind::Telescope: telescope().design = text; break;
    case FactKind::Aperture: telescope().apertureMetres = number; break;
    case FactKind::FocalLength: telescope().focalMillimetres = number; break;
    case FactKind::Detector: camera().detector = text; break;
    default: setCamera(camera(), kind, number); break;
    }
    if (auto good = frame::checkEquipment(changed); !good) {
        return good;
    }
    profiles_ = std::move(changed);
    layOver();
    return true;
}

/// The observer's own file goes on counting before what is kept here.
void NightFacts::layOver() {
    own_ = frame::laidOver(profiles_, file_);
}

Result<bool> NightFacts::keep() const {
    return frame::keepProfiles(profiles_);
}

} // namespace pathmark::night
