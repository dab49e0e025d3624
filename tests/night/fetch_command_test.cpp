#include "standin/file_service.h"
#include "tests/support/fail_at.h"
#include "tests/support/power_cut.h"
#include "tests/support/run_command.h"
#include "tests/support/small_night.h"

#include <fmt/format.h>
#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

#include <cerrno>
#include <fstream>

namespace pathmark {
namespace {

namespace fs = std::filesystem;
using nlohmann::json;
using test_support::Ended;
using test_support::runCommand;
using test_support::TemporaryFolder;

/// Data are fetched over real HTTP from the loopback into folders of the test's own.
class FetchCommandTest : public testing::Test {
  protected:
    [[nodiscard]] Ended call(const std::string& words, const std::string& before = {}) const {
        return runCommand(words,
                          folder_,
                          fmt::format("XDG_DATA_HOME='{0}/data' XDG_CONFIG_HOME='{0}/settings' {1}",
                                      folder_.path().string(),
                                      before));
    }

    void serve(const char* name, const std::string& content) const {
        std::ofstream(served_ / name, std::ios::binary) << content;
    }

    [[nodiscard]] fs::path kept(const char* name) const {
        return folder_ / "data" / "pathmark" / name;
    }

    TemporaryFolder folder_;
    TemporaryFolder served_;
};

constexpr const char* kSites = "Code  Long.   cos      sin    Name\n"
                               "Z97  23.41270.850000+0.525000Made-up ridge\n";

TEST_F(FetchCommandTest, SitesAreFetchedAndUsed) {
    serve("sites", kSites);
    const standin::FileService service({served_.path(), 0, standin::Fault::None});
    const Ended first = call("fetch sites --service " + service.address() + "/sites --json");
    ASSERT_EQ(first.status, 0) << first.errors;
    const json entry = json::parse(first.output).at("fetched").at(0);
    EXPECT_EQ(entry.at("what"), "sites");
    EXPECT_TRUE(entry.at("changed").get<bool>());
    EXPECT_TRUE(fs::exists(kept("observatory-codes.txt")));
    const Ended second = call("fetch sites --service " + service.address() + "/sites --json");
    EXPECT_FALSE(json::parse(second.output).at("fetched").at(0).at("changed").get<bool>());
    // A code of the list is known without naming the list: what is unknown now is the body.
    const Ended used = call("ephemeris --orbits none.json --body X --site Z97 --from "
                            "2030-01-01T00:00:00 --to 2030-01-02T00:00:00 --step 3600");
    EXPECT_EQ(used.errors.find("Z97"), std::string::npos) << used.errors;
}

TEST_F(FetchCommandTest, SeveralThingsLieBelowOneAddress) {
    serve("sites", kSites);
    serve("leap-seconds", "#@ 3900000000\n2272060800 10\n");
    const standin::FileService service({served_.path(), 0, standin::Fault::None});
    const Ended ended = call("fetch sites leap-seconds comets --service " + service.address() +
                             " --json --tries 1");
    EXPECT_EQ(ended.status, 1);
    const json document = json::parse(ended.output);
    EXPECT_EQ(document.at("fetched").size(), 2U) << ended.errors;
    EXPECT_EQ(document.at("failures").size(), 1U);
}

TEST_F(FetchCommandTest, RubbishReplacesNothing) {
    serve("sites", kSites);
    {
        const standin::FileService good({served_.path(), 0, standin::Fault::None});
        ASSERT_EQ(call("fetch sites --service " + good.address() + "/sites").status, 0);
    }
    const standin::FileService bad({served_.path(), 0, standin::Fault::Rubbish});
    serve("sites", "changed since");
    EXPECT_EQ(call("fetch sites --tries 1 --service " + bad.address() + "/sites").status, 1);
    std::ifstream stream(kept("observatory-codes.txt"));
    const std::string text((std::istreambuf_iterator<char>(stream)), {});
    EXPECT_EQ(text, kSites);
}

/// The machine says no at any call while a newer list is fetched: the old one or the new one is there, whole, and the next fetch has the new one.
TEST_F(FetchCommandTest, AFailingCallLeavesTheOldOrTheNewList) {
    const std::string newer = std::string(kSites) + "Z98  11.00000.850000+0.525000Made-up hill\n";
    int tried = 0;
    for (const test_support::FailingCall& failing :
         {test_support::FailingCall{"write", ENOSPC, true},
          test_support::FailingCall{"write", EIO, false},
          test_support::FailingCall{"sync", EIO, false},
          test_support::FailingCall{"rename", EIO, false},
          test_support::FailingCall{"open", EROFS, true},
          test_support::FailingCall{"open", EMFILE, false}}) {
        const standin::FileService service({served_.path(), 0, standin::Fault::None});
        const std::string fetch = "fetch sites --tries 1 --service " + service.address() + "/sites";
        const auto withOld = [&] {
            fs::remove_all(folder_ / "data");
            serve("sites", kSites);
            ASSERT_EQ(call(fetch).status, 0);
            serve("sites", newer);
        };
        withOld();
        ASSERT_EQ(call(fetch, test_support::failAt(failing, 0, folder_ / "count")).status, 0);
        const long calls = std::atol(test_support::contentOf(folder_ / "count").c_str());
        ASSERT_GT(calls, 0) << failing.call;
        for (const long at : test_support::pointsOf(calls)) {
            SCOPED_TRACE(fmt::format("{} {} of {}", failing.call, at, calls));
            ++tried;
            withOld();
            const auto ended = call(fetch, test_support::failAt(failing, at, folder_ / "count"));
            const auto is = test_support::contentOf(kept("observatory-codes.txt"));
            EXPECT_TRUE(is == newer || (is == kSites && ended.status == 1))
                << ended.status << ": " << ended.errors;
            EXPECT_EQ(ended.errors.find("An error of the program itself"), std::string::npos);
            EXPECT_EQ(call(fetch).status, 0);
            EXPECT_EQ(test_support::contentOf(kept("observatory-codes.txt")), newer);
        }
    }
    std::printf("fetch: %d points\n", tried);
}

/// The machine loses its power at any call of a fetch: the old list or the new one is there, the new one once that was said, and the next
/// fetch has the new one.
TEST_F(FetchCommandTest, APowerCutLeavesTheOldOrTheNewList) {
    using test_support::CallKind;
    const std::string newer = std::string(kSites) + "Z98  11.00000.850000+0.525000Made-up hill\n";
    const standin::FileService service({served_.path(), 0, standin::Fault::None});
    const std::string fetch = "fetch sites --tries 1 --service " + service.address() + "/sites";
    const fs::path record = served_ / "record";
    const auto recorded = [&](const char* mark) {
        ASSERT_EQ(
            call(fetch,
                 fmt::format("LD_PRELOAD='{}' PATHMARK_RECORD='{}' PATHMARK_RECORD_UNDER='{}' ",
                             PATHMARK_RECORDING_CALLS,
                             record.string(),
                             (folder_ / "data").string()))
                .status,
            0);
        std::ofstream(record, std::ios::app | std::ios::binary)
            << test_support::toBytes({CallKind::Said, "", "", 0, mark});
    };
    serve("sites", kSites);
    recorded("old");
    serve("sites", newer);
    recorded("new");
    const test_support::PowerCut cut(test_support::recordedCalls(test_support::contentOf(record)),
                                     folder_ / "data");
    std::mt19937_64 random(4);
    for (std::size_t at = 1; at <= cut.calls(); ++at) {
        for (const auto order :
             {test_support::NameOrder::Journal, test_support::NameOrder::PerFolder}) {
            SCOPED_TRACE(fmt::format("after {} of {} calls", at, cut.calls()));
            cut.restore(at, order, random);
            const auto said = cut.saidBefore(at);
            const auto is = test_support::contentOf(kept("observatory-codes.txt"));
            EXPECT_TRUE(is == newer || (is == kSites && said.count("new") == 0) ||
                        (is.empty() && said.empty()))
                << is;
            EXPECT_EQ(call(fetch).status, 0);
            EXPECT_EQ(test_support::contentOf(kept("observatory-codes.txt")), newer);
        }
    }
    std::printf("fetch: %zu cuts\n", 2 * cut.calls());
}

TEST_F(FetchCommandTest, AddressesStandInOneFile) {
    serve("list", kSites);
    const standin::FileService service({served_.path(), 0, standin::Fault::None});
    fs::create_directories(folder_ / "settings" / "pathmark");
    const auto settings = folder_ / "settings" / "pathmark" / "services.toml";
    std::ofstream(settings) << "sites = \"" << service.address() << "/list\"\n";
    EXPECT_EQ(call("fetch sites").status, 0);
    std::ofstream(settings) << "moons = \"http://127.0.0.1:1/\"\n";
    const Ended unknown = call("fetch sites");
    EXPECT_EQ(unknown.status, 1);
    EXPECT_NE(unknown.errors.find("moons"), std::string::npos) << unknown.errors;
}

TEST_F(FetchCommandTest, WhatCannotBeMeantIsWrongUse) {
    for (const char* words : {"nonsense",
                              "field",
                              "field 10 95 1",
                              "field 10 20",
                              "field 10 20 0",
                              "sites --tries 0"}) {
        EXPECT_EQ(call(std::string("fetch ") + words).status, 2) << words;
    }
}

TEST_F(FetchCommandTest, FieldsGrowIntoOneCatalogue) {
    test_support::makeSmallNight(folder_ / "night");
    standin::ServiceOptions options;
    options.stars = folder_ / "night" / "catalog" / "stars.csv";
    const standin::CatalogService service(options);
    const auto scenario = test_support::smallScenario();
    const double ra = scenario.series.front().raDegrees;
    const double dec = scenario.series.front().decDegrees;
    const auto fetch = [&](double x, double y) {
        const Ended ended = call(fmt::format(
            "fetch field {:.5f} {:.5f} 0.03 --service {}/tap --json", x, y, service.address()));
        EXPECT_EQ(ended.status, 0) << ended.errors;
        return json::parse(ended.output).at("fetched").at(0).at("stars").get<int>();
    };
    const int one = fetch(ra, dec);
    const int two = fetch(ra, dec + 0.3);
    EXPECT_GT(one, 0);
    EXPECT_GT(two, one);
    EXPECT_TRUE(fs::exists(kept("catalogs") / "fetched.stars"));
}

} // namespace
} // namespace pathmark
