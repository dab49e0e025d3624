#pragma once

#include "core/catalog/field_pieces.h"
#include "core/frame/equipment.h"
#include "core/night/needs/made_recipe.h"
#include "core/night/services.h"
#include "core/orbit/formats/site_codes.h"

#include <array>
#include <filesystem>
#include <map>
#include <optional>
#include <span>
#include <string>
#include <vector>

namespace pathmark::night {

/// What a night's work and its report rest on.
enum class FactKind {
    Site,
    Pointing,
    Observer,
    Measurer,
    Catalogue,
    Orbits,
    SiteCodes,
    EarthOrientation,
    LeapSeconds,
    Gain,
    ReadNoise,
    DarkCurrent,
    LinearLimit,
    Saturation,
    ClockOffset,
    RowDelay,
    Detector,
    Telescope,
    Aperture,
    FocalLength,
};

/// One of them, for a person.
struct Fact {
    FactKind kind = FactKind::Site;
    std::string of;    ///< the camera, the telescope or the target it is about; may be empty
    std::string title; ///< "Gain"
    std::string value; ///< as one writes it; empty: not known
    std::string unit;
    std::string from;      ///< where it was found
    std::string doubt;     ///< what speaks against it, or what is lost without it
    bool isAsked = false;  ///< not known, and only the observer can tell
    bool canChange = true; ///< else it is fetched as it is
};

/// What is known of a night from its headers, the observer's profiles and what was fetched, and what is told besides.
class NightFacts {
  public:
    /// `told` counts before everything else.
    ///
    /// Errors   frame.bad_equipment, orbit.not_readable  of the observer's own files
    static Result<NightFacts> find(std::span<const frame::FrameInfo> frames,
                                   const RecipeChoices& told = {});

    /// Every fact, what is asked first.
    [[nodiscard]] std::vector<Fact> list() const;

    [[nodiscard]] bool isAsking() const;

    /// Says what a fact is; an empty text takes back what was said before. Nothing is kept yet.
    ///
    /// Errors   command.wrong_use  a text that says nothing of the kind; orbit.unknown_site; catalog.not_found
    Result<bool> tell(FactKind kind, const std::string& of, const std::string& text);

    /// Where the targets look whose headers do not say.
    void setPointing(const SkyPos& pointing);

    /// Keeps what was told in the observer's profiles, for the nights to come.
    ///
    /// Errors   frame.bad_equipment, base.cannot_write, base.disk_full
    [[nodiscard]] Result<bool> keep() const;

    /// Takes in what was fetched meanwhile.
    void readFetched();

    /// What a run works with now.
    [[nodiscard]] RecipeChoices choices() const;

    /// Whether catalogue and orbits are those that are fetched.
    [[nodiscard]] bool fetchesStars() const { return chosenCatalog().empty(); }

    [[nodiscard]] bool fetchesOrbits() const { return chosenOrbits().empty(); }

    /// How many kinds of lights there are: of one camera and one target each.
    [[nodiscard]] std::size_t lightKinds() const { return lights_.size(); }

    /// The fields of the lights, as far as it is known where they look, to the depth that they reach.
    [[nodiscard]] std::vector<catalog::WantedField> fields() const;

  private:
    /// The lights of one camera, telescope or target.
    struct Known {
        frame::FrameInfo example;
        double exposureSeconds = 0.0; ///< the longest
    };

    /// A site with where it was found, and what speaks against it.
    struct FoundSite {
        std::optional<frame::Site> site;
        std::string name;
        std::string from;
        std::string doubt;
        bool isSettled = false; ///< the observer knows of it, also of a code that it has not
    };

    void takeFrames(std::span<const frame::FrameInfo> frames);
    [[nodiscard]] FoundSite site() const;
    [[nodiscard]] FoundSite siteOfHeader() const;
    [[nodiscard]] const frame::SiteProfile* siteNamed(const std::string& name) const;
    [[nodiscard]] const frame::SiteProfile* siteOfCameras() const;
    [[nodiscard]] std::optional<SkyPos> pointingOf(const Known& target) const;
    [[nodiscard]] std::filesystem::path chosenStore() const;
    [[nodiscard]] std::string chosenCatalog() const;
    [[nodiscard]] std::vector<std::filesystem::path> chosenOrbits() const;
    [[nodiscard]] std::vector<std::filesystem::path> fetchedOrbits() const;
    [[nodiscard]] Fact siteFact() const;
    [[nodiscard]] Fact observerFact() const;
    [[nodiscard]] Fact measurerFact() const;
    [[nodiscard]] Fact catalogueFact() const;
    [[nodiscard]] Fact orbitsFact() const;
    void addPointings(std::vector<Fact>& facts) const;
    void addCameras(std::vector<Fact>& facts) const;
    void addTelescopes(std::vector<Fact>& facts) const;
    Result<bool> tellSite(const std::string& text);
    Result<bool> tellPointing(const std::string& of, const std::string& text);
    Result<bool> tellCatalogue(const std::string& text);
    Result<bool> tellOrbits(const std::string& text);
    Result<bool> tellEquipment(FactKind kind, const std::string& of, const std::string& text);
    void layOver();

    RecipeChoices told_;
    frame::Equipment profiles_; ///< kept by the program; told facts go here
    frame::Equipment file_;     ///< the observer's own file
    frame::Equipment own_;      ///< the file laid over the profiles
    orbit::SiteCodes codes_;
    std::vector<Known> lights_;               ///< one for each target and camera
    std::map<std::string, Known> cameras_;    ///< by name
    std::map<std::string, Known> telescopes_; ///< by name
    std::map<std::string, SkyPos> pointings_; ///< told, by target
};

/// Age of a file that was fetched in words: "today", "3 days old"; empty: it is not there.
std::string ageWords(DataKind kind);

} // namespace pathmark::night
