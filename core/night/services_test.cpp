#include "core/night/services.h"

#include "tests/support/temporary_folder.h"

#include <gtest/gtest.h>

#include <cstdlib>
#include <fstream>

namespace pathmark::night {
namespace {

namespace fs = std::filesystem;

/// An observer with folders of data and settings of their own.
class ServicesTest : public testing::Test {
  protected:
    void SetUp() override {
        keep("XDG_DATA_HOME", folder_ / "data");
        keep("XDG_CONFIG_HOME", folder_ / "settings");
        keep("PATHMARK_DATA", folder_ / "shipped");
        fs::create_directories(folder_ / "shipped");
        fs::create_directories(folder_ / "settings" / "pathmark");
        std::ofstream(folder_ / "shipped" / "services.toml")
            << "orbits = 'http://one.example/orbits'\nfield = 'http://one.example/tap'\n";
    }

    void TearDown() override {
        for (const auto& [name, value] : before_) {
            if (value) {
                ::setenv(name.c_str(), value->c_str(), 1);
            } else {
                ::unsetenv(name.c_str());
            }
        }
    }

    void keep(const char* name, const fs::path& value) {
        const char* was = std::getenv(name);
        before_[name] = was != nullptr ? std::optional<std::string>(was) : std::nullopt;
        ::setenv(name, value.c_str(), 1);
    }

    void settings(const std::string& text) const {
        std::ofstream(folder_ / "settings" / "pathmark" / "services.toml") << text;
    }

    test_support::TemporaryFolder folder_;
    std::map<std::string, std::optional<std::string>> before_;
};

TEST_F(ServicesTest, EveryKindHasItsWordAndItsPlace) {
    std::set<fs::path> places;
    for (const DataKind kind : kDataKinds) {
        EXPECT_EQ(dataKindNamed(name(kind)), kind);
        const fs::path place = fetchedFile(kind);
        EXPECT_EQ(place.parent_path(), folder_ / "data" / "pathmark") << place;
        EXPECT_TRUE(places.insert(place).second) << "two kinds in one file: " << place;
    }
    EXPECT_FALSE(dataKindNamed("stars"));
    EXPECT_FALSE(dataKindNamed(""));
    EXPECT_EQ(fetchedStore().parent_path(), folder_ / "data" / "pathmark");
}

TEST_F(ServicesTest, TheObserversAddressesComeBeforeThoseThatShip) {
    auto addresses = serviceAddresses();
    ASSERT_TRUE(addresses) << addresses.error().detail;
    EXPECT_EQ(addresses->at("orbits"), "http://one.example/orbits");
    EXPECT_FALSE(addresses->contains("comets"));
    settings("orbits = 'http://two.example/o'\ncomets = 'http://two.example/c'\n");
    addresses = serviceAddresses();
    ASSERT_TRUE(addresses) << addresses.error().detail;
    EXPECT_EQ(addresses->at("orbits"), "http://two.example/o");
    EXPECT_EQ(addresses->at("comets"), "http://two.example/c");
    EXPECT_EQ(addresses->at("field"), "http://one.example/tap");
}

TEST_F(ServicesTest, WhatIsWrongInSettingsIsSaidWithItsFile) {
    settings("planets = 'http://two.example/p'\n");
    auto addresses = serviceAddresses();
    ASSERT_FALSE(addresses);
    EXPECT_NE(addresses.error().detail.find("planets"), std::string::npos);
    EXPECT_NE(addresses.error().subject.find("services.toml"), std::string::npos);
    settings("orbits = \n");
    EXPECT_FALSE(serviceAddresses());
    settings("orbits = 5\n");
    EXPECT_FALSE(serviceAddresses());
}

/// Nobody answers there: what was fetched before stays as it is.
TEST_F(ServicesTest, AServiceThatIsNotThereTakesNothingAway) {
    const fs::path target = folder_ / "orbits.dat";
    std::ofstream(target) << "what was here";
    const auto fetched =
        fetchData(DataKind::Orbits, "http://127.0.0.1:9/orbits", target, {2.0, 1}, {});
    ASSERT_FALSE(fetched);
    std::ifstream stream(target);
    std::string text;
    std::getline(stream, text);
    EXPECT_EQ(text, "what was here");
    EXPECT_EQ(std::distance(fs::directory_iterator(folder_.path()), fs::directory_iterator()), 3)
        << "nothing half fetched is left: settings, shipped and the file";
}

} // namespace
} // namespace pathmark::night
