#include "core/night/needs/night_facts.h"

#include "core/catalog/import.h"
#include "core/night/needs/prepare_night.h"
#include "core/night/needs/site_text.h"
#include "tests/support/matchers.h"
#include "tests/support/temporary_folder.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cstdlib>
#include <fstream>

namespace pathmark::night {
namespace {

namespace fs = std::filesystem;

frame::Site siteAt(double longitude) {
    frame::Site site;
    site.longitude = Angle::degrees(longitude);
    site.latitude = Angle::degrees(-31.0);
    site.altitudeMetres = 1200.0;
    return site;
}

frame::FrameInfo lightOf(const char* camera) {
    frame::FrameInfo info;
    info.path = "a.fits";
    info.kind = frame::FrameKind::Light;
    info.width = 1000;
    info.height = 800;
    info.statedScaleArcsec = 1.2;
    info.exposureSeconds = 60.0;
    info.camera = camera;
    info.object = "Field 7";
    return info;
}

/// Folders of an observer of the test's own.
class NightFactsTest : public testing::Test {
  protected:
    void SetUp() override {
        setenv("XDG_DATA_HOME", (folder_ / "data").c_str(), 1);
        setenv("XDG_CONFIG_HOME", (folder_ / "settings").c_str(), 1);
        fs::create_directories(folder_ / "settings" / "pathmark");
        std::ofstream(folder_ / "stars.csv") << "source_id,ra,dec,phot_g_mean_mag\n1,10,20,12\n";
        ASSERT_TRUE(catalog::importTables({folder_ / "stars.csv"}, folder_ / "store", "mine", {}));
    }

    void TearDown() override {
        unsetenv("XDG_DATA_HOME");
        unsetenv("XDG_CONFIG_HOME");
    }

    void equip(const char* text) const {
        std::ofstream(folder_ / "settings" / "pathmark" / "equipment.toml") << text;
    }

    static NightFacts found(const std::vector<frame::FrameInfo>& frames,
                            const RecipeChoices& told = {}) {
        auto facts = NightFacts::find(frames, told);
        EXPECT_TRUE(facts) << facts.error().detail;
        return std::move(*facts);
    }

    static Fact fact(const NightFacts& facts, FactKind kind) {
        const auto list = facts.list();
        const auto known =
            std::find_if(list.begin(), list.end(), [&](const Fact& f) { return f.kind == kind; });
        EXPECT_NE(known, list.end());
        return *known;
    }

    test_support::TemporaryFolder folder_;
};

TEST_F(NightFactsTest, WhatIsToldGoesBeforeHeadersAndTheseBeforeProfiles) {
    equip("[[site]]\nname='Ridge'\ncode='XXA'\nlongitude_deg=20\nlatitude_deg=-31\naltitude_m=9\n");
    const auto bare = lightOf("C1");
    EXPECT_NEAR(found({bare}).choices().site->longitude.degrees(), 20.0, 1e-9);
    auto said = bare;
    said.site = siteAt(10.0);
    EXPECT_NEAR(found({said}).choices().site->longitude.degrees(), 10.0, 1e-9);
    EXPECT_TRUE(fact(found({said}), FactKind::Site).isAsked) << "its code is known to nobody";
    RecipeChoices told;
    told.site = siteAt(30.0);
    EXPECT_NEAR(found({said}, told).choices().site->longitude.degrees(), 30.0, 1e-9);
    // A header's place within a kilometre of a profile's is that of the profile, with its code.
    said.site = siteAt(20.005);
    EXPECT_EQ(found({said}).choices().site->code, "XXA");
}

TEST_F(NightFactsTest, OfSeveralSitesTheCamerasOwnCounts) {
    equip("[[site]]\nname='Ridge'\nlongitude_deg=20\nlatitude_deg=-31\n"
          "[[site]]\nname='Valley'\nlongitude_deg=25\nlatitude_deg=-31\n"
          "[[camera]]\nname='C2'\nsite='Valley'\n");
    EXPECT_FALSE(found({lightOf("C1")}).choices().site) << "of two sites nobody knows which";
    EXPECT_NEAR(found({lightOf("C2")}).choices().site->longitude.degrees(), 25.0, 1e-9);
}

TEST_F(NightFactsTest, WhatIsToldOnceIsKnownTheNextNight) {
    NightFacts facts = found({lightOf("C1")});
    EXPECT_TRUE(facts.isAsking());
    EXPECT_TRUE(facts.list().front().isAsked) << "what is asked stands first";
    ASSERT_TRUE(facts.tell(FactKind::Site, "", "XXX 23.5 -31.2 1374"));
    ASSERT_TRUE(facts.tell(FactKind::Observer, "", "I. Vellamo; O. Tamsin"));
    ASSERT_TRUE(facts.tell(FactKind::Pointing, "Field 7", "11 06 35 +06 24 53"));
    ASSERT_TRUE(facts.tell(FactKind::Gain, "C1", "0.83"));
    ASSERT_TRUE(facts.tell(FactKind::Aperture, "", "0.35"));
    EXPECT_FALSE(facts.isAsking());
    ASSERT_TRUE(facts.keep());
    const NightFacts next = found({lightOf("C1")});
    EXPECT_FALSE(next.isAsking());
    EXPECT_EQ(next.choices().site->code, "XXX");
    EXPECT_EQ(next.choices().observers, (std::vector<std::string>{"I. Vellamo", "O. Tamsin"}));
    EXPECT_EQ(next.choices().apertureMetres, 0.35);
    EXPECT_EQ(fact(next, FactKind::Gain).value, "0.83");
    ASSERT_EQ(next.fields().size(), 1U);
    EXPECT_NEAR(next.fields()[0].centre.longitude.degrees(), 166.6458, 1e-3);
    EXPECT_EQ(frame::observersRules()->equipment.camera("C1")->electronsPerAdu, 0.83);
    // Another camera stands nobody knows where, but there is only the one site.
    EXPECT_TRUE(found({lightOf("C9")}).choices().site);
}

TEST_F(NightFactsTest, WhatCannotBeIsRefusedAndNothingIsKept) {
    NightFacts facts = found({lightOf("C1")});
    for (const auto& [kind, text] : {std::pair{FactKind::Site, "12 99"},
                                     std::pair{FactKind::Site, "QQQ"},
                                     std::pair{FactKind::Pointing, "11"},
                                     std::pair{FactKind::Pointing, "10 95"},
                                     std::pair{FactKind::Gain, "-1"},
                                     std::pair{FactKind::Gain, "much"},
                                     std::pair{FactKind::ReadNoise, "-0.5"},
                                     std::pair{FactKind::Aperture, "3500"},
                                     std::pair{FactKind::Orbits, "/nowhere/orbits.txt"},
                                     std::pair{FactKind::Catalogue, "/nowhere"},
                                     std::pair{FactKind::LeapSeconds, "x"}}) {
        EXPECT_FALSE(facts.tell(kind, "C1", text)) << text;
    }
    ASSERT_TRUE(facts.keep());
    EXPECT_EQ(*frame::keptProfiles(), frame::Equipment{});
}

TEST_F(NightFactsTest, TheObserversOwnFileCountsBeforeWhatIsKept) {
    NightFacts facts = found({lightOf("C1")});
    ASSERT_TRUE(facts.tell(FactKind::Gain, "C1", "0.83"));
    ASSERT_TRUE(facts.keep());
    equip("[[camera]]\nname='C1'\ngain_e_per_adu=0.9\n");
    const NightFacts next = found({lightOf("C1")});
    EXPECT_EQ(fact(next, FactKind::Gain).value, "0.9");
    EXPECT_FALSE(fact(next, FactKind::Gain).canChange);
    equip("[[camera]]\nname='C1'\ngain_e_per_adu=-0.9\n");
    const auto wrong = NightFacts::find(std::vector{lightOf("C1")});
    ASSERT_FALSE(wrong);
    EXPECT_NE(wrong.error().detail.find("gain_e_per_adu"), std::string::npos);
}

TEST_F(NightFactsTest, AChosenCatalogueIsNotFetched) {
    NightFacts facts = found({lightOf("C1")});
    EXPECT_TRUE(facts.fetchesStars());
    EXPECT_TRUE(facts.choices().catalog.empty());
    ASSERT_TRUE(facts.tell(FactKind::Catalogue, "", (folder_ / "store" / "mine.stars").string()));
    EXPECT_FALSE(facts.fetchesStars());
    EXPECT_EQ(facts.choices().catalog, "mine");
    ASSERT_TRUE(facts.keep());
    EXPECT_EQ(found({lightOf("C1")}).choices().store, folder_ / "store");
}

TEST_F(NightFactsTest, ASiteIsReadAsItIsWritten) {
    orbit::SiteCodes codes;
    frame::Site known = siteAt(5.0);
    known.code = "XXA";
    codes.add(known, "Made-up Hill");
    EXPECT_NEAR(siteFromText("XXA", codes)->longitude.degrees(), 5.0, 1e-9);
    const auto place = siteFromText(" XXB  24.5 -27.25 1187 ", codes);
    ASSERT_TRUE(place);
    EXPECT_EQ(place->code, "XXB");
    EXPECT_NEAR(place->latitude.degrees(), -27.25, 1e-9);
    EXPECT_EQ(siteFromText(siteText(*place), codes)->altitudeMetres, 1187.0);
    for (const char* wrong : {"", "XXC", "24.5 -27.25", "24.5 -97 10", "a b c", "24 -27 99999"}) {
        EXPECT_FALSE(siteFromText(wrong, codes)) << wrong;
    }
}

/// A new observer's code is in no list yet; the headers say where it is.
TEST_F(NightFactsTest, ACodeThatNoListHasIsThatOfTheHeadersPlace) {
    auto light = lightOf("Brack");
    PrepareRequest request;
    request.site = "Q77";
    const auto nowhere = factsFor(std::vector{light}, request);
    ASSERT_FALSE(nowhere);
    EXPECT_EQ(nowhere.error().id, ErrorId::OrbitUnknownSite);
    EXPECT_EQ(nowhere.error().subject, "Q77");
    light.site = siteAt(21.5);
    const auto facts = factsFor(std::vector{light}, request);
    ASSERT_TRUE(facts) << facts.error().detail;
    const auto site = facts->choices().site;
    ASSERT_TRUE(site);
    EXPECT_EQ(site->code, "Q77");
    EXPECT_NEAR(site->longitude.degrees(), 21.5, 1e-9);
}

} // namespace
} // namespace pathmark::night
