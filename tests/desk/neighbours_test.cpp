#include "core/samp/client.h"
#include "desk/shell/table_text.h"
#include "desk/sky/sky_view.h"
#include "tests/support/small_night_window.h"

#include <QApplication>
#include <QClipboard>
#include <QTableView>

#include <gtest/gtest.h>

#include <cstdlib>
#include <fstream>
#include <mutex>

namespace pathmark::desk {
namespace {

using samp::Message;

/// The window among other programs: a hub and a program of the test's own.
class NeighboursTest : public test_support::SmallNightWindowTest {
  protected:
    void SetUp() override {
        setenv("SAMP_HUB", ("std-lockurl:file://" + (folder.path() / "lock").string()).c_str(), 1);
        auto started = samp::Hub::start(folder.path() / "lock");
        ASSERT_TRUE(started) << started.error().detail;
        hub = std::move(*started);
        samp::ClientOptions options;
        options.name = "Other";
        options.subscriptions = {"*"};
        options.onMessage = [this](const std::string&, const Message& message) {
            const std::lock_guard lock(guard);
            if (!message.kind.starts_with("samp.hub.")) {
                heard.push_back(message);
            }
            return samp::okResponse();
        };
        auto joined = samp::Client::join(hub->address(), options);
        ASSERT_TRUE(joined);
        other = std::move(*joined);
        test_support::SmallNightWindowTest::SetUp();
        open(night() / "results" / "night.pmnight");
    }

    static void TearDownTestSuite() {
        unsetenv("SAMP_HUB");
        test_support::SmallNightWindowTest::TearDownTestSuite();
    }

    Message lastOf(const char* kind) {
        Message found;
        EXPECT_TRUE(waitFor([&] {
            const std::lock_guard lock(guard);
            for (const Message& message : heard) {
                if (message.kind == kind) {
                    found = message;
                }
            }
            return !found.kind.empty();
        })) << kind;
        return found;
    }

    /// Joins, and finds the window among the hub's programs.
    std::string joined() {
        press(Qt::Key_J, Qt::ControlModifier | Qt::AltModifier);
        std::string id;
        EXPECT_TRUE(waitFor([&] {
            const auto listeners = other->listeners("coord.pointAt.sky");
            if (listeners && !listeners->empty()) {
                id = listeners->front().id;
            }
            return !id.empty();
        }));
        return id;
    }

    std::mutex guard;
    std::vector<Message> heard;
    std::unique_ptr<samp::Hub> hub;
    std::unique_ptr<samp::Client> other;
};

constexpr Qt::KeyboardModifiers kSending = Qt::ControlModifier | Qt::AltModifier;

TEST_F(NeighboursTest, TheFrameThePlaceAndTheTableGoByOneKeyEach) {
    window.session().setBody(night::BodyId::of("2711043"));
    press(Qt::Key_F, kSending);
    const Message image = lastOf("image.load.fits");
    const auto* light = window.session().currentLight();
    EXPECT_EQ(image.text("url"), "file://" + light->calibrated.string());
    press(Qt::Key_P, kSending);
    const Message place = lastOf("coord.pointAt.sky");
    const auto* predicted =
        window.session().night()->predictionOn(*light, window.session().currentBody());
    ASSERT_NE(predicted, nullptr);
    EXPECT_NEAR(std::stod(place.text("ra")), predicted->sky.longitude.degrees(), 0.002);
    EXPECT_NEAR(std::stod(place.text("dec")), predicted->sky.latitude.degrees(), 0.002);
    press(Qt::Key_T, kSending);
    const Message table = lastOf("table.load.votable");
    std::ifstream stream(table.text("url").substr(7));
    const std::string text{std::istreambuf_iterator<char>(stream), {}};
    EXPECT_NE(text.find("pos.eq.ra;meta.main"), std::string::npos);
}

/// A place is ringed on the Sky; a frame of the night is taken in hand; what is none of this machine is refused with words.
TEST_F(NeighboursTest, PlacesAndPicturesComeFromThem) {
    const std::string us = joined();
    const auto& lights = *window.session().night()->lights;
    const SkyPos middle = lights[1].skyMiddle();
    const auto pointed = other->ask(us,
                                    {"coord.pointAt.sky",
                                     {{"ra", std::to_string(middle.longitude.degrees())},
                                      {"dec", std::to_string(middle.latitude.degrees())}}},
                                    10.0);
    ASSERT_TRUE(pointed) << pointed.error().detail;
    EXPECT_TRUE(waitFor([&] { return window.message().contains("points there"); }))
        << window.message().toStdString();
    const auto ask = [&](const char* kind, nlohmann::json values) {
        return other->ask(us, {kind, std::move(values)}, 10.0);
    };
    EXPECT_FALSE(ask("coord.pointAt.sky", {{"ra", "north"}, {"dec", "1"}}));
    EXPECT_FALSE(ask("coord.pointAt.sky", {{"ra", "10"}, {"dec", "91"}}));
    EXPECT_FALSE(ask("image.load.fits", {{"url", "file:///nowhere.fits"}}));
    EXPECT_FALSE(ask("image.load.fits", {{"url", "http://example.invalid/a.fits"}}));
    EXPECT_FALSE(ask("image.load.fits", {{"url", "file://other-machine/etc/passwd"}}));
    window.session().setFrame(0);
    ASSERT_TRUE(ask("image.load.fits", {{"url", "file://" + lights[1].raw.string()}}));
    EXPECT_TRUE(waitFor([&] { return window.session().currentFrame() == 1; }));
}

TEST_F(NeighboursTest, RowsOfTheirTablesAreRinged) {
    const std::string us = joined();
    const SkyPos middle = window.session().night()->lights[0].skyMiddle();
    const auto file = folder.path() / "table.vot";
    std::ofstream(file)
        << "<VOTABLE version='1.4'><RESOURCE><TABLE><FIELD name='x' datatype='char'/>"
           "<FIELD name='RAJ2000' datatype='double'/><FIELD name='DEJ2000' datatype='double'/>"
           "<DATA><TABLEDATA><TR><TD>a</TD><TD/><TD>1</TD></TR><TR><TD>b</TD><TD>"
        << middle.longitude.degrees() << "</TD><TD>" << middle.latitude.degrees()
        << "</TD></TR></TABLEDATA></DATA></TABLE></RESOURCE></VOTABLE>";
    const auto ask = [&](const char* kind, nlohmann::json values) {
        return other->ask(us, {kind, std::move(values)}, 10.0);
    };
    EXPECT_FALSE(ask("table.highlight.row", {{"table-id", "t"}, {"row", "1"}}));
    ASSERT_TRUE(ask("table.load.votable", {{"url", "file://" + file.string()}, {"table-id", "t"}}));
    EXPECT_TRUE(waitFor([&] { return window.message().contains("2 row"); }))
        << window.message().toStdString();
    ASSERT_TRUE(ask("table.highlight.row", {{"table-id", "t"}, {"row", "1"}}));
    EXPECT_TRUE(waitFor([&] { return window.message().contains("points"); }));
    EXPECT_FALSE(ask("table.highlight.row", {{"table-id", "t"}, {"row", "2"}}));
    EXPECT_FALSE(ask("table.highlight.row", {{"table-id", "t"}, {"row", "-1"}}));
    ASSERT_TRUE(ask("table.select.rowList", {{"table-id", "t"}, {"row-list", {"1", "0"}}}));
    std::ofstream(folder.path() / "bad.vot") << "no table";
    EXPECT_FALSE(
        ask("table.load.votable", {{"url", "file://" + (folder.path() / "bad.vot").string()}}));
}

/// The hub ends: the window goes on, and joins again when something is sent.
TEST_F(NeighboursTest, AHubThatEndsIsLeft) {
    (void)joined();
    other.reset();
    hub.reset();
    EXPECT_TRUE(waitFor([&] { return window.message().contains("Left the other programs"); }))
        << window.message().toStdString();
    press(Qt::Key_P, kSending);
    EXPECT_TRUE(waitFor([&] { return window.message().contains("No other program listens"); }))
        << window.message().toStdString();
}

TEST_F(NeighboursTest, TheTableInHandIsCopied) {
    press(Qt::Key_7);
    auto* table = find<QTableView>("reportLines");
    ASSERT_TRUE(waitFor([&] { return table->model()->rowCount() > 0; }));
    press(Qt::Key_C, Qt::ControlModifier);
    const QStringList lines = QApplication::clipboard()->text().split('\n', Qt::SkipEmptyParts);
    EXPECT_EQ(lines.size(), table->model()->rowCount() + 1);
    EXPECT_TRUE(lines[0].contains("Body\tUTC\tRA, Dec\tMagnitude"));
    EXPECT_EQ(lines[1].count('\t'), lines[0].count('\t'));
    const auto written = writtenTable(*table->model(), "lines");
    EXPECT_EQ(static_cast<int>(written.rows.size()), table->model()->rowCount());
    EXPECT_EQ(catalog::toCsv(written).find('\t'), std::string::npos);
}

} // namespace
} // namespace pathmark::desk
