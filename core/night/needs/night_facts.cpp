#include "core/night/needs/night_facts.h"

#include "core/catalog/star_store.h"
#include "core/night/data_files.h"
#include "core/night/known_sites.h"
#include "core/night/needs/site_text.h"

#include <algorithm>
#include <cmath>

namespace pathmark::night {
namespace {

namespace fs = std::filesystem;

/// Further from a known site than this, a header's place is another.
constexpr double kSameSiteMetres = 1500.0;

/// Frames whose headers say a pointing within this of each other look at one field.
constexpr double kSameFieldDegrees = 0.1;

bool isSameTarget(const frame::FrameInfo& a, const frame::FrameInfo& b) {
    if (a.camera != b.camera || a.width != b.width ||
        a.pointing.has_value() != b.pointing.has_value()) {
        return false;
    }
    return a.pointing ? separation(*a.pointing, *b.pointing).degrees() < kSameFieldDegrees
                      : a.object == b.object;
}

/// Magnitude to which an exposure shows stars, and one more for stacks.
///
/// Model    S/N 5 in a spot of 10 square arcseconds on a sky of 20.5 mag per square arcsecond, 40 % of 8.8e9 photons a second and square
///          metre of a star of magnitude 0; an unknown aperture counts as half a metre.
/// Source   Bessell, Castelli & Plez 1998, A&A 333, 231 (the flux in V).
double reachOf(double apertureMetres, double seconds) {
    const double zero = 0.4 * 8.8e9 * 0.785 * apertureMetres * apertureMetres;
    const double sky = zero * std::pow(10.0, -0.4 * 20.5) * 10.0;
    const double least = 5.0 * std::sqrt(sky * std::max(1.0, seconds)) / std::max(1.0, seconds);
    return 2.5 * std::log10(zero / least) + 1.0;
}

} // namespace

Result<NightFacts> NightFacts::find(std::span<const frame::FrameInfo> frames,
                                    const RecipeChoices& told) {
    NightFacts facts;
    facts.told_ = told;
    auto kept = frame::keptProfiles();
    auto file = frame::ownEquipment();
    if (!kept || !file) {
        return fail(kept ? file.error() : kept.error());
    }
    facts.profiles_ = std::move(*kept);
    facts.file_ = std::move(*file);
    facts.layOver();
    facts.readFetched();
    facts.takeFrames(frames);
    return facts;
}

void NightFacts::readFetched() {
    // A damaged list of codes is none: it is fetched again.
    codes_ = knownSites({}).value_or(orbit::SiteCodes());
}

void NightFacts::takeFrames(std::span<const frame::FrameInfo> frames) {
    for (const frame::FrameInfo& info : frames) {
        if (info.kind != frame::FrameKind::Light) {
            continue;
        }
        const auto same = std::find_if(lights_.begin(), lights_.end(), [&](const Known& known) {
            return isSameTarget(known.example, info);
        });
        if (same == lights_.end()) {
            lights_.push_back({info, info.exposureSeconds});
        } else {
            same->exposureSeconds = std::max(same->exposureSeconds, info.exposureSeconds);
        }
        cameras_.try_emplace(info.camera, Known{info, info.exposureSeconds});
        telescopes_.try_emplace(info.telescope, Known{info, info.exposureSeconds});
    }
}

const frame::SiteProfile* NightFacts::siteNamed(const std::string& name) const {
    for (const auto& known : own_.sites) {
        if (!name.empty() && (known.name == name || known.site.code == name)) {
            return &known;
        }
    }
    return nullptr;
}

/// The site where the profile of a camera of the night says that it stands; else the only site there is.
const frame::SiteProfile* NightFacts::siteOfCameras() const {
    for (const auto& entry : cameras_) {
        const frame::CameraProfile* camera = own_.camera(entry.first);
        if (const auto* site = camera != nullptr ? siteNamed(camera->site) : nullptr) {
            return site;
        }
    }
    return own_.sites.size() == 1 ? &own_.sites.front() : nullptr;
}

/// What headers say, with the code of the profile or of the listed site that lies there.
NightFacts::FoundSite NightFacts::siteOfHeader() const {
    FoundSite found;
    for (const Known& light : lights_) {
        if (!light.example.site) {
            continue;
        }
        found.site = light.example.site;
        found.name = light.example.siteName;
        found.from = "header of " + light.example.path.filename().string();
        for (const auto& profile : own_.sites) {
            if (metresApart(profile.site, *found.site) < kSameSiteMetres) {
                return {profile.site, profile.name, found.from + ", your profile", {}, true};
            }
        }
        if (const auto* listed = nearestListed(codes_, *found.site, kSameSiteMetres)) {
            found.site->code = listed->site.code;
            found.doubt = "The code is that of the listed site nearby: " + listed->title + ".";
            return found;
        }
        found.doubt = "The header has no observatory code: without one no report is written.";
        return found;
    }
    return found;
}

NightFacts::FoundSite NightFacts::site() const {
    if (told_.site) {
        return {told_.site, told_.siteName, "told", {}, true};
    }
    FoundSite found = siteOfHeader();
    if (found.site) {
        return found;
    }
    for (const Known& light : lights_) {
        if (const auto* named = siteNamed(light.example.siteName)) {
            return {named->site, named->name, "your profile, by the name in the header", {}, true};
        }
    }
    if (const auto* profile = siteOfCameras()) {
        return {profile->site, profile->name, "your profile " + profile->name, {}, true};
    }
    found.doubt = "Without it bodies are looked for where the Earth's centre sees them, and no "
                  "report is written.";
    return found;
}

std::optional<SkyPos> NightFacts::pointingOf(const Known& target) const {
    if (target.example.pointing) {
        return target.example.pointing;
    }
    const std::string& name = target.example.object;
    if (const auto told = pointings_.find(name); told != pointings_.end()) {
        return told->second;
    }
    for (const auto& field : own_.fields) {
        if (!name.empty() && field.name == name) {
            return field.centre;
        }
    }
    return std::nullopt;
}

fs::path NightFacts::chosenStore() const {
    return told_.store.empty() ? own_.data.store : told_.store;
}

std::string NightFacts::chosenCatalog() const {
    const fs::path store = chosenStore();
    if (store.empty()) {
        return {};
    }
    std::string named = told_.store.empty() ? own_.data.catalog : told_.catalog;
    if (!named.empty()) {
        return named;
    }
    const auto names = catalog::StarStore::names(store);
    return names.size() == 1 ? names.front() : std::string();
}

std::vector<fs::path> NightFacts::chosenOrbits() const {
    return told_.orbits.empty() ? own_.data.orbits : told_.orbits;
}

std::vector<fs::path> NightFacts::fetchedOrbits() const {
    std::vector<fs::path> files;
    std::error_code ignored;
    for (const DataKind kind : {DataKind::Orbits, DataKind::Comets}) {
        if (fs::exists(fetchedFile(kind), ignored)) {
            files.push_back(fetchedFile(kind));
        }
    }
    return files;
}

RecipeChoices NightFacts::choices() const {
    RecipeChoices choices = told_;
    const FoundSite found = site();
    choices.site = found.site;
    choices.siteName = found.name;
    choices.store = chosenStore();
    choices.catalog = chosenCatalog();
    if (choices.catalog.empty() && !catalog::StarStore::names(fetchedStore()).empty()) {
        choices.store = fetchedStore();
        choices.catalog = kFetchedCatalog;
    }
    choices.orbits = fetchesOrbits() ? fetchedOrbits() : chosenOrbits();
    if (!choices.orbits.empty()) {
        choices.orbitIndex = observersData("orbit-index");
    }
    std::error_code ignored;
    if (choices.earthOrientation.empty() && fetchesStars() &&
        fs::exists(fetchedFile(DataKind::EarthOrientation), ignored)) {
        choices.earthOrientation = fetchedFile(DataKind::EarthOrientation);
    }
    if (choices.observers.empty()) {
        choices.observers = own_.observers;
    }
    if (choices.measurers.empty()) {
        choices.measurers = own_.measurers;
    }
    for (const auto& entry : telescopes_) {
        if (const auto* telescope = own_.telescope(entry.first)) {
            choices.telescopeDesign = telescope->design;
            choices.apertureMetres = telescope->apertureMetres;
        }
    }
    for (const auto& entry : cameras_) {
        if (const auto* camera = own_.camera(entry.first)) {
            choices.detector = camera->detector;
        }
    }
    return choices;
}

std::vector<catalog::WantedField> NightFacts::fields() const {
    // Beside what the frame covers: the mount's error of pointing, and that of a scale that is a guess.
    constexpr double marginDegrees = 0.15;
    constexpr double guessedScaleArcsec = 1.5;
    std::vector<catalog::WantedField> fields;
    for (const Known& light : lights_) {
        const auto centre = pointingOf(light);
        if (!centre) {
            continue;
        }
        const frame::FrameInfo& info = light.example;
        const double scale = info.scaleArcsec().value_or(guessedScaleArcsec);
        const auto* telescope = own_.telescope(info.telescope);
        const double aperture =
            telescope != nullptr ? telescope->apertureMetres.value_or(0.5) : 0.5;
        fields.push_back(
            {*centre,
             Angle::degrees(marginDegrees +
                            0.5 * 1.1 * scale * std::hypot(info.width, info.height) / 3600.0),
             std::min(catalog::kFaintestEver,
                      std::ceil(reachOf(aperture, light.exposureSeconds)))});
    }
    return fields;
}

} // namespace pathmark::night
