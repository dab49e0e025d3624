#include "core/base/sexagesimal.h"
#include "core/catalog/star_store.h"
#include "core/night/needs/night_facts.h"
#include "core/night/needs/site_text.h"

#include <fmt/format.h>

#include <algorithm>
#include <chrono>

// The facts of a night as a list for a person.
namespace pathmark::night {
namespace {

namespace fs = std::filesystem;

/// A camera's value with how a profile, a frame and a person name it.
struct CameraValue {
    FactKind kind;
    const char* title;
    const char* unit;
    const char* origin; ///< as FrameInfo::origins calls it; empty: headers never say it
    const char* without;
};

constexpr std::array kCameraValues{
    CameraValue{FactKind::Gain,
                "Gain",
                "e-/ADU",
                "electrons per ADU",
                "Measured from flats and biases where there are some, else taken as 1."},
    CameraValue{FactKind::ReadNoise,
                "Read noise",
                "e-",
                "read noise",
                "Measured from flats and biases where there are some, else taken as 0."},
    CameraValue{FactKind::DarkCurrent, "Dark current", "e-/s", "dark current", ""},
    CameraValue{FactKind::LinearLimit, "Linear up to", "ADU", "linear limit", ""},
    CameraValue{FactKind::Saturation,
                "Saturation",
                "ADU",
                "saturation",
                "Taken from the ceiling of the frames."},
    CameraValue{FactKind::ClockOffset,
                "Clock offset",
                "s",
                "",
                "The camera's clock minus UTC; taken as 0."},
    CameraValue{FactKind::RowDelay,
                "Row delay",
                "s",
                "",
                "From row to row of a rolling shutter; taken as 0."},
    CameraValue{FactKind::Detector, "Detector", "", "", "CCD or CMO; stands in reports."},
};

std::string numberText(const std::optional<double>& value) {
    return value ? fmt::format("{:.6g}", *value) : std::string();
}

std::string profileValue(const frame::CameraProfile& camera, FactKind kind) {
    switch (kind) {
    case FactKind::Gain: return numberText(camera.electronsPerAdu);
    case FactKind::ReadNoise: return numberText(camera.readNoiseElectrons);
    case FactKind::DarkCurrent: return numberText(camera.darkElectronsPerSecond);
    case FactKind::LinearLimit: return numberText(camera.linearLimitAdu);
    case FactKind::Saturation: return numberText(camera.saturationAdu);
    case FactKind::ClockOffset:
        return camera.clockOffsetSeconds == 0.0 ? "" : numberText(camera.clockOffsetSeconds);
    case FactKind::RowDelay: return camera.rowSeconds == 0.0 ? "" : numberText(camera.rowSeconds);
    case FactKind::Detector: return camera.detector;
    default: return {};
    }
}

std::string headerValue(const frame::FrameInfo& info, FactKind kind) {
    switch (kind) {
    case FactKind::Gain: return numberText(info.electronsPerAdu);
    case FactKind::ReadNoise: return numberText(info.readNoiseElectrons);
    case FactKind::Saturation: return numberText(info.saturationAdu);
    default: return {};
    }
}

std::string originOf(const frame::FrameInfo& info, const char* what) {
    const auto found = std::find_if(info.origins.rbegin(),
                                    info.origins.rend(),
                                    [&](const auto& origin) { return origin.what == what; });
    return found == info.origins.rend() ? "header" : found->from;
}

std::string joined(const std::vector<std::string>& names) {
    return fmt::format("{}", fmt::join(names, "; "));
}

std::string joined(const std::vector<fs::path>& files) {
    std::vector<std::string> names;
    names.reserve(files.size());
    for (const fs::path& file : files) {
        names.push_back(file.string());
    }
    return joined(names);
}

/// A file that is fetched and has no other source.
Fact fetchedFact(FactKind kind, DataKind data, const char* title, const char* without) {
    Fact fact;
    fact.kind = kind;
    fact.title = title;
    fact.canChange = false;
    const std::string age = ageWords(data);
    fact.value = age.empty() ? "" : fetchedFile(data).filename().string();
    fact.from = age.empty() ? "" : "fetched, " + age;
    fact.doubt = age.empty() ? without : "";
    return fact;
}

/// Names, told or of the profiles.
Fact peopleFact(FactKind kind,
                const char* title,
                const std::vector<std::string>& told,
                const std::vector<std::string>& kept) {
    Fact fact;
    fact.kind = kind;
    fact.title = title;
    fact.value = joined(told.empty() ? kept : told);
    fact.from = fact.value.empty() ? "" : told.empty() ? "your profile" : "told";
    return fact;
}

} // namespace

std::string ageWords(DataKind kind) {
    std::error_code missing;
    const auto changed = fs::last_write_time(fetchedFile(kind), missing);
    if (missing) {
        return {};
    }
    const auto hours =
        std::chrono::duration_cast<std::chrono::hours>(fs::file_time_type::clock::now() - changed)
            .count();
    return hours < 24 ? "today" : hours < 48 ? "1 day old" : fmt::format("{} days old", hours / 24);
}

Fact NightFacts::siteFact() const {
    const FoundSite found = site();
    Fact fact;
    fact.kind = FactKind::Site;
    fact.title = "Site";
    fact.value = found.site ? siteText(*found.site) : std::string();
    fact.from = found.name.empty() || !found.site ? found.from : found.name + ", " + found.from;
    fact.doubt = found.doubt;
    if (fact.doubt.empty() && found.site && !found.site->parallaxConstants &&
        found.site->altitudeMetres == 0.0) {
        fact.doubt = "The altitude is taken as 0 m.";
    }
    fact.isAsked = !found.site || (found.site->code.empty() && !found.isSettled);
    return fact;
}

Fact NightFacts::observerFact() const {
    Fact fact = peopleFact(FactKind::Observer, "Observer", told_.observers, own_.observers);
    fact.isAsked = fact.value.empty();
    fact.doubt = fact.isAsked ? "As it stands in reports: I. Vellamo. Several with ; between." : "";
    return fact;
}

Fact NightFacts::measurerFact() const {
    Fact fact = peopleFact(FactKind::Measurer, "Measurer", told_.measurers, own_.measurers);
    fact.doubt = fact.value.empty() ? "The observer, where nobody else is named." : "";
    return fact;
}

Fact NightFacts::catalogueFact() const {
    Fact fact;
    fact.kind = FactKind::Catalogue;
    fact.title = "Star catalogue";
    if (!fetchesStars()) {
        fact.value = (chosenStore() / (chosenCatalog() + ".stars")).string();
        fact.from = told_.store.empty() ? "your profile" : "told";
        return fact;
    }
    const auto wanted = fields();
    const catalog::FieldStore store{{}, fetchedStore(), kFetchedCatalog};
    const auto held = std::count_if(wanted.begin(), wanted.end(), [&](const auto& field) {
        return catalog::holdsField(store, field);
    });
    if (!catalog::StarStore::names(fetchedStore()).empty()) {
        fact.from = fmt::format("fetched, {} of {} fields of this night", held, wanted.size());
    }
    if (static_cast<std::size_t>(held) < wanted.size()) {
        fact.doubt =
            "What is missing is fetched by the run. Without it the frames are laid on each "
            "other by their own stars, and nothing has a place on the sky.";
    }
    return fact;
}

Fact NightFacts::orbitsFact() const {
    Fact fact;
    fact.kind = FactKind::Orbits;
    fact.title = "Orbits";
    if (!fetchesOrbits()) {
        fact.value = joined(chosenOrbits());
        fact.from = told_.orbits.empty() ? "your profile" : "told";
        return fact;
    }
    for (const DataKind kind : {DataKind::Orbits, DataKind::Comets}) {
        if (const std::string age = ageWords(kind); !age.empty()) {
            fact.from +=
                fmt::format("{}{}, {}", fact.from.empty() ? "fetched: " : "; ", name(kind), age);
        }
    }
    fact.doubt = fact.from.empty() ? "Fetched by the run. Without them no body is known, and what "
                                     "moves is found all the same."
                                   : "";
    return fact;
}

void NightFacts::addPointings(std::vector<Fact>& facts) const {
    for (const Known& light : lights_) {
        if (light.example.pointing) {
            continue;
        }
        Fact fact;
        fact.kind = FactKind::Pointing;
        fact.of = light.example.object;
        if (std::any_of(facts.begin(), facts.end(), [&](const Fact& other) {
                return other.kind == fact.kind && other.of == fact.of;
            })) {
            continue; // of another camera
        }
        fact.title = "Pointing";
        if (const auto place = pointingOf(light)) {
            fact.value =
                toHours(place->longitude, 1, ':') + " " + toDegrees(place->latitude, 0, ':');
            fact.from = pointings_.contains(fact.of) ? "told" : "your profile";
        }
        fact.isAsked = fact.value.empty() && fetchesStars();
        fact.doubt = fact.value.empty()
                         ? "No header says where the telescope looked: give right ascension and "
                           "declination to a degree's quarter, or the stars cannot be fetched."
                         : "";
        facts.push_back(std::move(fact));
    }
}

void NightFacts::addCameras(std::vector<Fact>& facts) const {
    for (const auto& [name, camera] : cameras_) {
        const frame::CameraProfile* profile = own_.camera(name);
        for (const CameraValue& value : kCameraValues) {
            Fact fact;
            fact.kind = value.kind;
            fact.of = name;
            fact.title = value.title;
            fact.unit = value.unit;
            if (profile != nullptr) {
                fact.value = profileValue(*profile, value.kind);
                fact.from = fact.value.empty() ? "" : "your profile";
            }
            if (const auto* own = file_.camera(name);
                own != nullptr && !profileValue(*own, value.kind).empty()) {
                fact.from = "your equipment.toml; change it there";
                fact.canChange = false;
            }
            if (fact.value.empty()) {
                fact.value = headerValue(camera.example, value.kind);
                fact.from = fact.value.empty() ? "" : originOf(camera.example, value.origin);
            }
            fact.doubt = fact.value.empty() ? value.without : "";
            facts.push_back(std::move(fact));
        }
    }
}

void NightFacts::addTelescopes(std::vector<Fact>& facts) const {
    for (const auto& [name, telescope] : telescopes_) {
        const frame::TelescopeProfile* profile = own_.telescope(name);
        const auto add = [&, of = name](FactKind kind,
                                        const char* title,
                                        const char* unit,
                                        const std::string& value,
                                        const char* without) {
            Fact fact{
                kind, of, title, value, unit, value.empty() ? "" : "your profile", {}, false, true};
            fact.doubt = value.empty() ? without : "";
            facts.push_back(std::move(fact));
        };
        add(FactKind::Telescope,
            "Telescope",
            "",
            profile != nullptr ? profile->design : std::string(),
            "Its kind, as it stands in reports: Reflector.");
        add(FactKind::Aperture,
            "Aperture",
            "m",
            profile != nullptr ? numberText(profile->apertureMetres) : std::string(),
            "Stands in reports; says how much the air makes stars flicker.");
        add(FactKind::FocalLength,
            "Focal length",
            "mm",
            profile != nullptr ? numberText(profile->focalMillimetres) : std::string(),
            "Counts where the header has none.");
        Fact& focal = facts.back();
        if (focal.value.empty() && telescope.example.focalMillimetres) {
            focal.value = numberText(telescope.example.focalMillimetres);
            focal.from = originOf(telescope.example, "focal length");
            focal.doubt.clear();
        }
    }
}

std::vector<Fact> NightFacts::list() const {
    std::vector<Fact> facts{siteFact(), observerFact(), measurerFact()};
    addPointings(facts);
    facts.push_back(catalogueFact());
    facts.push_back(orbitsFact());
    facts.push_back(fetchedFact(FactKind::SiteCodes,
                                DataKind::Sites,
                                "Observatory codes",
                                "Without them a site is given by its coordinates."));
    facts.push_back(fetchedFact(FactKind::EarthOrientation,
                                DataKind::EarthOrientation,
                                "Earth orientation",
                                "Without it UT1 is taken as UTC: 0.003\" at 0.2 au."));
    facts.push_back(fetchedFact(FactKind::LeapSeconds,
                                DataKind::LeapSeconds,
                                "Leap seconds",
                                "The table that ships with the program is used."));
    addTelescopes(facts);
    addCameras(facts);
    std::stable_partition(
        facts.begin(), facts.end(), [](const Fact& fact) { return fact.isAsked; });
    return facts;
}

bool NightFacts::isAsking() const {
    // Those that may be asked; the others take a look at what was fetched.
    std::vector<Fact> facts{siteFact(), observerFact()};
    addPointings(facts);
    return std::any_of(facts.begin(), facts.end(), [](const Fact& fact) { return fact.isAsked; });
}

} // namespace pathmark::night
