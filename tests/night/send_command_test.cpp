#include "core/night/night_file.h"
#include "standin/report_desk.h"
#include "tests/support/fail_at.h"
#include "tests/support/run_command.h"

#include <fmt/format.h>
#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

#include <cerrno>
#include <chrono>
#include <fstream>
#include <random>
#include <thread>

namespace pathmark {
namespace {

namespace fs = std::filesystem;
using nlohmann::json;
using standin::DeskFault;
using standin::ReportDesk;
using test_support::Ended;
using test_support::runCommand;
using test_support::TemporaryFolder;

constexpr const char* kSendRecipe = R"([site]
code = "Z99"
longitude_deg = 24.6
latitude_deg = -27.4
altitude_m = 1187
[catalog]
store = "catalog"
name = "none"
[orbits]
files = []
[report]
observer = "I. Vellamo"
measurer = "I. Vellamo"
)";

/// The finished program sends the lines of a night file to the stand-in.
class SendCommandTest : public testing::Test {
  protected:
    void SetUp() override {
        std::ofstream(folder_ / "recipe.toml") << kSendRecipe;
        auto file = night::NightFile::open(nightPath());
        ASSERT_TRUE(file);
        night::NightPlaces places = file->places();
        ASSERT_TRUE(file->setPlaces(places, folder_ / "recipe.toml"));
        for (int i = 0; i < 6; ++i) {
            night::MeasurementRecord m;
            m.body = night::BodyId::of("(2711043)");
            m.frame = night::FrameId(fmt::format("f{}", i));
            m.id = night::measurementId(m.body, {m.frame});
            m.time = parseUtc("2034-03-17T20:00:00.37").value().plusSeconds(300.0 * i);
            m.seen = true;
            m.sky = skyDegrees(177.0 + 0.001 * i, 2.0);
            m.raErrorArcsec = m.decErrorArcsec = 0.1;
            m.snr = 20.0;
            m.magnitude = 17.5;
            m.magnitudeError = 0.05;
            m.band = "R";
            m.usedStars = 40;
            lines_.push_back(m);
        }
        ASSERT_TRUE(file->replaceMeasurements(lines_));
    }

    [[nodiscard]] fs::path nightPath() const { return folder_ / "night.pmnight"; }

    [[nodiscard]] Ended call(const std::string& words, const std::string& before = {}) const {
        return runCommand(fmt::format("{} ", words),
                          folder_,
                          fmt::format("XDG_DATA_HOME='{0}/data' XDG_CONFIG_HOME='{0}/settings' {1}",
                                      folder_.path().string(),
                                      before));
    }

    [[nodiscard]] Ended send(const std::string& words, const std::string& before = {}) const {
        return call(fmt::format("send '{}' {}", nightPath().string(), words), before);
    }

    static standin::DeskOptions options(DeskFault fault = DeskFault::None) {
        standin::DeskOptions o;
        o.structure = fs::path(PATHMARK_SOURCE_DIR) / "data" / "ades-2022.xsd";
        o.fault = fault;
        return o;
    }

    void expectOnce(const ReportDesk& desk) const {
        const auto taken = desk.taken();
        for (const auto& line : lines_) {
            EXPECT_EQ(taken.contains(line.id) ? taken.at(line.id) : 0, 1) << line.id;
        }
        EXPECT_EQ(desk.repeats(), 0);
    }

    /// Until nothing is under way any more.
    void goOnToTheEnd() const {
        for (int i = 0; i < 20; ++i) {
            const json state = json::parse(send("--go-on --json").output);
            bool isOpen = false;
            for (const json& sending : state.at("sendings")) {
                const auto is = sending.at("state").get<std::string>();
                isOpen = isOpen || (is != "taken" && is != "withdrawn");
            }
            if (!isOpen) {
                break;
            }
            std::this_thread::sleep_for(std::chrono::milliseconds(300));
        }
    }

    TemporaryFolder folder_;
    std::vector<night::MeasurementRecord> lines_;
};

/// Without --yes a look is all; then it leaves, by the address of services.toml; a second time nothing is left.
TEST_F(SendCommandTest, ALookAndThenTheSending) {
    const ReportDesk desk(options());
    fs::create_directories(folder_ / "settings" / "pathmark");
    std::ofstream(folder_ / "settings" / "pathmark" / "services.toml")
        << "reports = \"" << desk.address() << "\"\n";
    const json look = json::parse(send("--json").output);
    EXPECT_EQ(look.at("to_be_sent").size(), 6U);
    EXPECT_EQ(desk.posts(), 0);
    const Ended sent = send("--yes --json");
    ASSERT_EQ(sent.status, 0) << sent.errors;
    const json document = json::parse(sent.output);
    EXPECT_EQ(document.at("sendings").at(0).at("state"), "taken");
    EXPECT_EQ(document.at("sendings").at(0).at("receipt"), "R-000001");
    EXPECT_TRUE(document.at("to_be_sent").empty());
    expectOnce(desk);
    EXPECT_EQ(send("--yes").status, 1);
    EXPECT_EQ(desk.posts(), 1);
}

TEST_F(SendCommandTest, DoubtsHoldItUntilTheyAreWaived) {
    const ReportDesk desk(options());
    lines_[2].snr = 2.5;
    ASSERT_TRUE(night::NightFile::open(nightPath())->replaceMeasurements(lines_));
    const std::string to = "--yes --to " + desk.address();
    EXPECT_EQ(send(to).status, 1);
    const auto decide = [&](const std::string& words) {
        return call(fmt::format("decide '{}' {}", nightPath().string(), words));
    };
    EXPECT_EQ(decide("--waive " + lines_[2].id + " weak_signal").status, 2) << "no reason";
    EXPECT_EQ(decide("--waive " + lines_[2].id + " gremlins --reason x").status, 2);
    EXPECT_EQ(decide("--waive " + lines_[1].id + " weak_signal --reason x").status, 2)
        << "no such doubt there";
    EXPECT_EQ(decide("--waive " + lines_[2].id + " weak_signal --reason 'on every frame'").status,
              0);
    EXPECT_EQ(send(to).status, 0);
    expectOnce(desk);
}

TEST_F(SendCommandTest, WrongWordsAreWrongUse) {
    EXPECT_EQ(send("--arrived x").status, 1);
    EXPECT_EQ(send("--go-on --yes").status, 2);
    EXPECT_EQ(send("--format doc").status, 2);
    EXPECT_EQ(send("--mail x.eml").status, 2);
    EXPECT_EQ(send("--yes --to http://127.0.0.1:9/x").status, 1);
    EXPECT_EQ(json::parse(send("--json").output).at("sendings").at(0).at("state"), "waiting");
}

/// The program is ended, by the signal that nobody can refuse, at any moment of its sending to a slow desk.
TEST_F(SendCommandTest, KilledAtAnyMomentNothingGoesTwice) {
    const ReportDesk desk(options(DeskFault::Slow));
    std::mt19937 random(5);
    for (int i = 0; i < 25; ++i) {
        const double seconds = 0.02 + 0.012 * static_cast<double>(random() % 30);
        const bool goesOn = random() % 2 == 0;
        (void)send(goesOn ? "--go-on" : "--yes --to " + desk.address(),
                   fmt::format("timeout -s KILL {:.3f} ", seconds));
    }
    (void)send("--yes --to " + desk.address()); // where nothing was begun yet
    goOnToTheEnd();
    expectOnce(desk);
    EXPECT_GE(desk.posts(), 1);
}

/// The machine says no at any call of a sending: it is said, nothing is lost, and nothing goes twice.
TEST_F(SendCommandTest, AFailingCallLosesNothingAndNothingGoesTwice) {
    const fs::path before = folder_ / "before.pmnight";
    fs::copy_file(nightPath(), before);
    int tried = 0;
    int said = 0;
    for (const test_support::FailingCall& failing :
         {test_support::FailingCall{"write", ENOSPC, true},
          test_support::FailingCall{"write", EIO, false},
          test_support::FailingCall{"sync", EIO, false},
          test_support::FailingCall{"open", EROFS, true},
          test_support::FailingCall{"thread", EAGAIN, true}}) {
        const auto again = [&] {
            for (const char* part : {"", "-wal", "-shm"}) {
                fs::remove(nightPath().string() + part);
            }
            fs::copy_file(before, nightPath());
        };
        const auto words = [](const ReportDesk& desk) { return "--yes --to " + desk.address(); };
        again();
        const ReportDesk counting(options());
        ASSERT_EQ(send(words(counting), test_support::failAt(failing, 0, folder_ / "count")).status,
                  0);
        const long calls = std::atol(test_support::contentOf(folder_ / "count").c_str());
        for (const long at : test_support::pointsOf(calls)) {
            SCOPED_TRACE(fmt::format("{} {} of {}", failing.call, at, calls));
            again();
            const ReportDesk desk(options());
            const auto ended =
                send(words(desk), test_support::failAt(failing, at, folder_ / "count"));
            ++tried;
            said += ended.status != 0 ? 1 : 0;
            EXPECT_TRUE(ended.status == 0 || (ended.status == 1 && !ended.errors.empty()))
                << ended.status << ": " << ended.errors;
            EXPECT_EQ(ended.errors.find("An error of the program itself"), std::string::npos)
                << ended.errors;
            (void)send(words(desk)); // where nothing was begun yet
            goOnToTheEnd();
            expectOnce(desk);
        }
    }
    EXPECT_GT(tried, 5);
    std::printf("send: %d points, %d said\n", tried, said);
}

} // namespace
} // namespace pathmark
