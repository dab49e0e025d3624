#include "core/night/report/reported_night.h"
#include "core/night/report/sender.h"
#include "standin/report_desk.h"
#include "tests/support/temporary_folder.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <fstream>
#include <iterator>
#include <random>
#include <set>

namespace pathmark::night {
namespace {

using standin::DeskFault;
using standin::ReportDesk;

constexpr int kSentLines = 12;

/// The program ends here, as far as the night file can tell.
struct Killed {};

/// A night file with lines to be reported, and a desk that takes them.
class SendingNight {
  public:
    SendingNight() : file_(NightFile::open(folder_.path() / "night.pmnight").value()) {
        recipe_.siteKnown = false;
        recipe_.head.stationCode = "XXX";
        recipe_.head.submitter = "I. Vellamo";
        recipe_.head.observers = {"I. Vellamo"};
        recipe_.head.measurers = {"I. Vellamo"};
        for (int i = 0; i < kSentLines; ++i) {
            MeasurementRecord m;
            m.body = BodyId::of(i < 6 ? "(2711043)" : "2034 EQ7");
            m.frame = FrameId(fmt::format("f{}", i));
            m.id = measurementId(m.body, {m.frame});
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
        EXPECT_TRUE(file_.replaceMeasurements(lines_));
    }

    /// Sends what is not sent yet; ends at the step named where one is.
    Result<Sending> send(const std::string& address, const std::string& killAt = {}) {
        auto sender = open(killAt);
        if (!sender) {
            return fail(sender.error());
        }
        SendRequest request;
        request.address = address;
        const auto prepared = sender->prepare(recipe_, request);
        return prepared ? sender->carry(prepared->id, Job()) : prepared;
    }

    /// Goes on with everything that is open.
    void goOn(const std::string& killAt = {}) {
        auto sender = open(killAt);
        ASSERT_TRUE(sender) << sender.error().detail;
        for (const Sending& sending : sendings()) {
            if (sending.isOpen()) {
                (void)sender->carry(sending.id, Job());
            }
        }
    }

    Result<Sender> open(const std::string& killAt = {}, double timeout = 1.0) {
        return Sender::open(file_, {timeout, 1}, [killAt](const char* step) {
            if (killAt == step) {
                throw Killed();
            }
        });
    }

    [[nodiscard]] std::vector<Sending> sendings() const { return file_.sendings().value(); }

    [[nodiscard]] bool hasOpen() const {
        const auto all = sendings();
        return std::any_of(all.begin(), all.end(), [](const Sending& s) { return s.isOpen(); });
    }

    [[nodiscard]] Sending last() const { return sendings().back(); }

    [[nodiscard]] std::size_t toBeSent() const {
        const auto lines = reportLines(reportedOf(file_).value(), recipe_);
        return static_cast<std::size_t>(std::count_if(
            lines.begin(), lines.end(), [](const ReportLine& l) { return l.isToBeSent(); }));
    }

    void change(std::size_t line, double arcsec) {
        lines_[line].sky = offsetBy(lines_[line].sky, arcsec, 0.0);
        ASSERT_TRUE(file_.replaceMeasurements(lines_));
    }

    NightFile& file() { return file_; }

    [[nodiscard]] const Recipe& recipe() const { return recipe_; }

    [[nodiscard]] const std::vector<MeasurementRecord>& lines() const { return lines_; }

    [[nodiscard]] std::filesystem::path folder() const { return folder_.path(); }

  private:
    test_support::TemporaryFolder folder_;
    NightFile file_;
    Recipe recipe_;
    std::vector<MeasurementRecord> lines_;
};

standin::DeskOptions deskOptions(DeskFault fault = DeskFault::None) {
    standin::DeskOptions options;
    options.structure = std::filesystem::path(PATHMARK_SOURCE_DIR) / "data" / "ades-2022.xsd";
    options.fault = fault;
    return options;
}

/// What the desk has is what the night file says: every line once, the very bytes, the receipts.
void expectAllOnce(const SendingNight& night, const ReportDesk& desk) {
    const auto taken = desk.taken();
    for (const MeasurementRecord& line : night.lines()) {
        const auto known = taken.find(line.id);
        EXPECT_EQ(known == taken.end() ? 0 : known->second, 1) << line.id;
    }
    EXPECT_EQ(desk.repeats(), 0);
    const auto reports = desk.reports();
    std::size_t kept = 0;
    for (const Sending& sending : night.sendings()) {
        EXPECT_FALSE(sending.isOpen()) << name(sending.state);
        if (sending.state == SendingState::Taken) {
            ++kept;
            EXPECT_FALSE(sending.receipt.empty());
            ASSERT_TRUE(reports.contains(sending.id));
            EXPECT_EQ(reports.at(sending.id), sending.text);
        }
    }
    EXPECT_EQ(kept, reports.size());
}

TEST(SendingTest, AReportLeavesWithItsReceiptKept) {
    SendingNight night;
    const ReportDesk desk(deskOptions());
    const auto sent = night.send(desk.address());
    ASSERT_TRUE(sent) << sent.error().detail;
    EXPECT_EQ(sent->state, SendingState::Taken);
    EXPECT_EQ(sent->receipt, "R-000001");
    EXPECT_NE(sent->answer.find("R-000001"), std::string::npos);
    expectAllOnce(night, desk);
    EXPECT_EQ(night.toBeSent(), 0U);
    EXPECT_EQ(night.send(desk.address()).error().id, ErrorId::ReportNothingToReport);
    EXPECT_EQ(desk.posts(), 1);
}

TEST(SendingTest, WithoutADeskItWaits) {
    SendingNight night;
    EXPECT_EQ(night.send("http://127.0.0.1:9/reports").error().id, ErrorId::ReportNotSent);
    EXPECT_EQ(night.last().state, SendingState::Waiting);
    EXPECT_EQ(night.toBeSent(), 0U) << "what waits is not made a report of again";
    auto sender = night.open();
    ASSERT_TRUE(sender->withdraw(night.last().id));
    EXPECT_EQ(night.toBeSent(), std::size_t{kSentLines});
    EXPECT_EQ(sender->withdraw(night.last().id).error().id, ErrorId::NightUnknownId);
}

TEST(SendingTest, WithoutAnAddressNothingIsSent) {
    SendingNight night;
    EXPECT_EQ(night.send({}).error().id, ErrorId::ReportNotSent);
    EXPECT_EQ(night.last().state, SendingState::Waiting);
}

TEST(SendingTest, TwoProgramsDoNotSendAtOnce) {
    SendingNight night;
    const auto first = night.open();
    ASSERT_TRUE(first);
    auto other = NightFile::open(night.file().path());
    EXPECT_EQ(Sender::open(*other, {1.0, 1}).error().id, ErrorId::NightInUse);
}

TEST(SendingTest, ADoubtedLineHoldsTheReport) {
    SendingNight night;
    const ReportDesk desk(deskOptions());
    auto changed = night.lines();
    changed[3].snr = 3.1;
    ASSERT_TRUE(night.file().replaceMeasurements(changed));
    EXPECT_EQ(night.send(desk.address()).error().id, ErrorId::ReportDoubted);
    EXPECT_EQ(desk.posts(), 0);
    ASSERT_TRUE(night.file().decide(
        {"waive", {WaveThrough{changed[3].id, "weak_signal", "seen on every frame", true}}}));
    EXPECT_TRUE(night.send(desk.address()));
}

/// A reason does not make a report valid that is not.
TEST(SendingTest, WhatTheStandardHasNoFormForNeverLeaves) {
    SendingNight night;
    const ReportDesk desk(deskOptions());
    auto changed = night.lines();
    changed[3].band = "??";
    ASSERT_TRUE(night.file().replaceMeasurements(changed));
    ASSERT_TRUE(night.file().decide(
        {"waive", {WaveThrough{changed[3].id, "strange_band", "the desk knows it", true}}}));
    const auto sent = night.send(desk.address());
    ASSERT_FALSE(sent);
    EXPECT_EQ(sent.error().id, ErrorId::ReportNotValid);
    EXPECT_NE(sent.error().detail.find("band"), std::string::npos) << sent.error().detail;
    EXPECT_EQ(desk.posts(), 0);
    EXPECT_TRUE(night.sendings().empty());
    ASSERT_TRUE(night.file().decide(
        {"band", {CorrectLine{changed[3].id, LineCorrection{"R", false, {}, {}}}}}));
    EXPECT_TRUE(night.send(desk.address()));
}

TEST(SendingTest, ALineThatChangedGoesAgainOnlyWhereTheObserverSaysSo) {
    SendingNight night;
    const ReportDesk desk(deskOptions());
    ASSERT_TRUE(night.send(desk.address()));
    night.change(2, 0.4);
    EXPECT_EQ(night.send(desk.address()).error().id, ErrorId::ReportNothingToReport);
    ASSERT_TRUE(night.file().decide(
        {"again",
         {WaveThrough{
             night.lines()[2].id, "sent_before " + night.last().id, "measured anew", true}}}));
    const auto again = night.send(desk.address());
    ASSERT_TRUE(again) << again.error().detail;
    EXPECT_EQ(again->lines.size(), 1U);
    EXPECT_EQ(desk.taken().at(night.lines()[2].id), 2);
    EXPECT_EQ(night.toBeSent(), 0U);
    night.change(2, 0.4);
    EXPECT_EQ(night.toBeSent(), 0U) << "the reason was good for one time";
}

struct Outcome {
    DeskFault fault;
    const char* name;
    ErrorId error;
    SendingState state;
};

class DeskFaultTest : public testing::TestWithParam<Outcome> {};

/// What a fault is taken for; and once the desk is well, the report is there once.
TEST_P(DeskFaultTest, IsTakenForWhatItIs) {
    SendingNight night;
    ReportDesk desk(deskOptions(GetParam().fault));
    const auto sent = night.send(desk.address());
    ASSERT_FALSE(sent);
    EXPECT_EQ(sent.error().id, GetParam().error) << sent.error().detail;
    EXPECT_FALSE(sent.error().detail.empty());
    EXPECT_EQ(night.last().state, GetParam().state);
    desk.setFault(DeskFault::None);
    night.goOn();
    if (GetParam().state == SendingState::Refused) {
        EXPECT_EQ(night.toBeSent(), std::size_t{kSentLines});
        ASSERT_TRUE(night.send(desk.address()));
    }
    expectAllOnce(night, desk);
}

INSTANTIATE_TEST_SUITE_P(
    Faults,
    DeskFaultTest,
    testing::Values(
        Outcome{DeskFault::Web, "web", ErrorId::ReportUnsure, SendingState::Unsure},
        Outcome{DeskFault::Rubbish, "rubbish", ErrorId::ReportUnsure, SendingState::Unsure},
        Outcome{DeskFault::Broken, "broken", ErrorId::ReportUnsure, SendingState::Unsure},
        Outcome{DeskFault::BusyOnce, "busy", ErrorId::ReportNotSent, SendingState::Waiting},
        Outcome{DeskFault::Refuses, "refuses", ErrorId::ReportRefused, SendingState::Refused},
        Outcome{DeskFault::Redirects, "redirects", ErrorId::ReportNotSent, SendingState::Waiting},
        Outcome{
            DeskFault::ClosesAfter, "closes_after", ErrorId::ReportUnsure, SendingState::Unsure},
        Outcome{
            DeskFault::ClosesBefore, "closes_before", ErrorId::ReportUnsure, SendingState::Unsure},
        Outcome{DeskFault::Mute, "mute", ErrorId::ReportUnsure, SendingState::Unsure}),
    [](const auto& made) { return std::string(made.param.name); });

/// A desk that hangs has the report: while it works it says so, and it is not sent a second time.
TEST(SendingTest, ADeskThatHangsIsAskedAndNotSentTo) {
    SendingNight night;
    ReportDesk desk(deskOptions(DeskFault::Hangs));
    EXPECT_EQ(night.send(desk.address()).error().id, ErrorId::ReportUnsure);
    night.goOn();
    EXPECT_EQ(night.last().state, SendingState::Unsure);
    EXPECT_NE(night.last().words.find("works on it"), std::string::npos) << night.last().words;
    EXPECT_EQ(desk.posts(), 1);
}

TEST(SendingTest, ASlowDeskIsWaitedFor) {
    SendingNight night;
    const ReportDesk desk(deskOptions(DeskFault::Slow));
    auto sender = night.open({}, 10.0);
    SendRequest request;
    request.address = desk.address();
    const auto prepared = sender->prepare(night.recipe(), request);
    ASSERT_TRUE(prepared);
    ASSERT_TRUE(sender->carry(prepared->id, Job()));
    expectAllOnce(night, desk);
}

/// A desk that cannot tell is never sent to again by the program alone; the observer says what became of it.
TEST(SendingTest, WhereTheDeskCannotTellTheObserverDoes) {
    SendingNight night;
    ReportDesk desk(deskOptions(DeskFault::Mute));
    (void)night.send(desk.address());
    for (int i = 0; i < 3; ++i) {
        night.goOn();
    }
    EXPECT_EQ(desk.posts(), 1);
    EXPECT_EQ(night.last().state, SendingState::Unsure);
    auto sender = night.open();
    const auto settled = sender->settle(night.last().id, true, "told by telephone");
    ASSERT_TRUE(settled);
    EXPECT_EQ(night.last().state, SendingState::Taken);
    EXPECT_EQ(night.last().receipt, "told by telephone");
    EXPECT_EQ(sender->settle(night.last().id, false, {}).error().id, ErrorId::NightUnknownId);
}

/// Of lines that were refused among good ones the words are kept, and they alone go again.
TEST(SendingTest, HalfOfAReportMayBeTaken) {
    SendingNight night;
    ReportDesk desk(deskOptions(DeskFault::TakesHalf));
    const auto sent = night.send(desk.address());
    ASSERT_TRUE(sent) << sent.error().detail;
    EXPECT_EQ(std::count_if(sent->lines.begin(),
                            sent->lines.end(),
                            [](const SentLine& l) { return l.isRefused && !l.words.empty(); }),
              kSentLines / 2);
    EXPECT_EQ(night.toBeSent(), std::size_t{kSentLines / 2});
    desk.setFault(DeskFault::None);
    ASSERT_TRUE(night.send(desk.address()));
    expectAllOnce(night, desk);
}

TEST(SendingTest, AnUnknownStationIsRefusedWithItsWords) {
    SendingNight night;
    auto options = deskOptions();
    options.stations = {"XYZ"};
    const ReportDesk desk(options);
    const auto sent = night.send(desk.address());
    ASSERT_FALSE(sent);
    EXPECT_EQ(sent.error().id, ErrorId::ReportRefused);
    EXPECT_NE(sent.error().detail.find("Station XXX is not known here"), std::string::npos);
}

/// Lines end as mails have them, the bytes are the report's, and no name begins another header.
TEST(SendingTest, AMailIsWrittenOnce) {
    SendingNight night;
    auto sender = night.open();
    SendRequest request;
    request.form = "80";
    request.address = "reports@desk.invalid\nBcc: all@x.invalid";
    request.contact = "me@ridge.invalid";
    const auto prepared = sender->prepare(night.recipe(), request);
    ASSERT_TRUE(prepared);
    const auto path = night.folder() / "report.eml";
    ASSERT_TRUE(sender->mail(prepared->id, request, night.recipe(), path));
    std::ifstream stream(path, std::ios::binary);
    const std::string mail{std::istreambuf_iterator<char>(stream), {}};
    EXPECT_EQ(mail.find("\nBcc:"), std::string::npos);
    EXPECT_NE(mail.find("Subject: report XXX 2034-03-17, 12 lines\r\n"), std::string::npos) << mail;
    EXPECT_NE(mail.find("\r\n\r\nCOD XXX\r\n"), std::string::npos);
    EXPECT_EQ(night.last().state, SendingState::Mailed);
    EXPECT_EQ(night.toBeSent(), 0U);
}

/// Whatever the desk does, and wherever the program ends: in the end every line is there once, and the night file says so.
TEST(SendingTest, KilledAnywhereNothingIsLostAndNothingGoesTwice) {
    constexpr std::array steps{"", "", "prepare", "underway", "post", "answered", "ask", "receipt"};
    constexpr std::array faults{DeskFault::None,
                                DeskFault::Web,
                                DeskFault::Rubbish,
                                DeskFault::Broken,
                                DeskFault::BusyOnce,
                                DeskFault::Refuses,
                                DeskFault::Redirects,
                                DeskFault::TakesHalf,
                                DeskFault::ClosesAfter,
                                DeskFault::ClosesBefore,
                                DeskFault::Mute};
    std::set<std::string> killedAt;
    for (unsigned seed = 0; seed < 150; ++seed) {
        SCOPED_TRACE(seed);
        std::mt19937 random(seed);
        const auto one = [&](const auto& list) { return list[random() % list.size()]; };
        SendingNight night;
        ReportDesk desk(deskOptions());
        for (int i = 0; i < 5; ++i) {
            desk.setFault(one(faults));
            const std::string killAt = one(steps);
            try {
                if (random() % 2 == 0) {
                    (void)night.send(
                        random() % 8 == 0 ? "http://127.0.0.1:9/reports" : desk.address(), killAt);
                } else {
                    night.goOn(killAt);
                }
            } catch (const Killed&) {
                killedAt.insert(killAt);
            }
        }
        desk.setFault(DeskFault::None);
        for (int i = 0; i < 3 && night.hasOpen(); ++i) {
            night.goOn();
        }
        if (night.hasOpen()) { // it was to go where no desk is
            auto sender = night.open();
            ASSERT_EQ(night.last().address, "http://127.0.0.1:9/reports");
            for (const Sending& sending : night.sendings()) {
                if (sending.isOpen()) {
                    (void)sender->settle(sending.id, false, {}); // where it was killed on the way
                    ASSERT_TRUE(sender->withdraw(sending.id));
                }
            }
        }
        if (night.toBeSent() > 0) {
            ASSERT_TRUE(night.send(desk.address()));
        }
        expectAllOnce(night, desk);
    }
    EXPECT_EQ(killedAt.size(), 6U) << "every step was met";
}

} // namespace
} // namespace pathmark::night
