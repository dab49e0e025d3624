#include "core/report/read_back.h"
#include "core/report/structure.h"
#include "core/report/writers.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cmath>
#include <filesystem>
#include <random>

namespace pathmark::report {
namespace {

constexpr int kLines = 10000;

/// Observations of every kind that a night may hold, at the edges of what can be written.
class MadeObservations {
  public:
    explicit MadeObservations(unsigned seed) : random_(seed) {}

    Observation next() {
        Observation o;
        o.ownName = chance(0.15);
        o.body = o.ownName ? fmt::format("c{:06}", whole(0, 999999)) : designation();
        o.time = parseUtc("1995-01-01T00:00:00").value().plusSeconds(number(0.0, 1.9e9));
        o.sky = place();
        o.raErrorArcsec = std::pow(10.0, number(-5.0, 1.5));
        o.decErrorArcsec = std::pow(10.0, number(-5.0, 1.5));
        if (chance(0.85)) {
            o.magnitude = number(-3.0, 26.0);
            o.magnitudeError = std::pow(10.0, number(-5.0, 0.0));
            o.band = std::string(1, "BVRIGgrizy"[whole(0, 9)]);
        }
        o.catalogue = "Gaia3";
        o.usedStars = static_cast<int>(whole(0, 3000));
        o.exposureSeconds = chance(0.9) ? std::pow(10.0, number(-4.5, 3.5)) : 0.0;
        o.stackedFrames = chance(0.2) ? static_cast<int>(whole(2, 300)) : 1;
        sometimes(o.correlation, number(-0.999, 0.999));
        sometimes(o.snr, std::pow(10.0, number(-0.5, 4.0)));
        sometimes(o.seeingArcsec, number(0.01, 30.0));
        sometimes(o.apertureArcsec, number(0.01, 90.0));
        sometimes(o.fitRmsArcsec, std::pow(10.0, number(-5.0, 0.5)));
        sometimes(o.timeStepSeconds, std::pow(10.0, number(-4.0, 2.0)));
        sometimes(o.timeUncertainSeconds, std::pow(10.0, number(-5.0, 2.0)));
        o.id = chance(0.8) ? fmt::format("{:016x}", random_()) : "";
        o.remark = remark();
        return o;
    }

  private:
    double number(double low, double high) {
        return std::uniform_real_distribution<double>(low, high)(random_);
    }

    std::uint64_t whole(std::uint64_t low, std::uint64_t high) {
        return std::uniform_int_distribution<std::uint64_t>(low, high)(random_);
    }

    bool chance(double share) { return number(0.0, 1.0) < share; }

    void sometimes(std::optional<double>& field, double value) {
        if (chance(0.5)) {
            field = value;
        }
    }

    std::string designation() {
        const char half = static_cast<char>('A' + whole(0, 7));
        switch (whole(0, 4)) {
        case 0: return fmt::format("({})", whole(1, 3'000'000));
        case 1: return fmt::format("{}P", whole(1, 500));
        case 2: return fmt::format("C/{} {}{}", whole(1995, 2050), half, whole(1, 60));
        case 3: return fmt::format("P/{} {}{}", whole(1995, 2050), half, whole(1, 60));
        default: break;
        }
        const auto cycle = whole(0, 200);
        return fmt::format("{} {}{}{}",
                           whole(1995, 2050),
                           half,
                           static_cast<char>('A' + whole(0, 7)),
                           cycle == 0 ? "" : std::to_string(cycle));
    }

    /// Anywhere, and often where a rounded place would run over.
    SkyPos place() {
        const double ra = chance(0.1)   ? 360.0 - std::pow(10.0, number(-11.0, -6.0))
                          : chance(0.1) ? std::pow(10.0, number(-11.0, -6.0))
                                        : number(0.0, 360.0);
        const double dec = chance(0.1)   ? 90.0 - std::pow(10.0, number(-11.0, -1.0))
                           : chance(0.1) ? -std::pow(10.0, number(-11.0, -3.0))
                                         : number(-90.0, 90.0);
        return skyDegrees(ra, dec);
    }

    std::string remark() {
        static const std::vector<std::string> pieces{"stack",
                                                     "|",
                                                     "\n",
                                                     "<b>",
                                                     "&amp;",
                                                     "\"",
                                                     "'",
                                                     ",",
                                                     "é",
                                                     "\t",
                                                     "小",
                                                     " ",
                                                     "-->",
                                                     "# ",
                                                     "! "};
        std::string text;
        for (auto n = whole(0, chance(0.05) ? 120 : 5); n > 0; --n) {
            text += pieces[whole(0, pieces.size() - 1)];
        }
        return text;
    }

    std::mt19937_64 random_;
};

ReportHead madeHead() {
    ReportHead head;
    head.stationCode = "XXX";
    head.observatory = "Tern Ridge, \"south\" | <dome>";
    head.submitter = "I. Vellamo";
    head.observers = {"I. Vellamo", "A. \"B\" & C."};
    head.measurers = {"O. Tamsin"};
    head.telescopeDesign = "Reflector";
    head.aperture = "0.35";
    head.detector = "CMO";
    head.pixelScale = "1.06";
    head.programme = "1";
    return head;
}

Result<std::string> xmlOf(const std::vector<Observation>& lines) {
    std::vector<Error> leftOut;
    return toAdesXml(madeHead(), lines, leftOut);
}

Result<std::string> psvOf(const std::vector<Observation>& lines) {
    std::vector<Error> leftOut;
    return toAdesPsv(madeHead(), lines, leftOut);
}

std::vector<Observation> madeLines() {
    MadeObservations made(2034);
    std::vector<Observation> lines;
    for (int i = 0; i < kLines; ++i) {
        lines.push_back(made.next());
    }
    return lines;
}

std::string firstOf(const std::vector<std::string>& words) {
    return words.empty() ? "" : fmt::format("{} in all: {}", words.size(), words.front());
}

/// Truth: the standard's structure as a schema, held against the report by libxml2.
TEST(RandomReportTest, XmlIsValidAndReadsBack) {
    const auto lines = madeLines();
    const auto text = xmlOf(lines);
    ASSERT_TRUE(text);
    const auto schema = std::filesystem::path(PATHMARK_SOURCE_DIR) / "data" / "ades-2022.xsd";
    EXPECT_EQ(firstOf(structureFaults(schema, *text)), "");
    EXPECT_EQ(firstOf(readBackDifferences(Form::Xml, *text, madeHead(), lines)), "");
}

TEST(RandomReportTest, PsvReadsBack) {
    const auto lines = madeLines();
    const auto text = psvOf(lines);
    ASSERT_TRUE(text);
    EXPECT_EQ(firstOf(readBackDifferences(Form::Psv, *text, madeHead(), lines)), "");
}

TEST(RandomReportTest, EightyColumnsReadBackUpToTheirRounding) {
    const auto lines = madeLines();
    std::vector<Error> leftOut;
    const auto text = toEightyColumn(madeHead(), lines, leftOut);
    ASSERT_TRUE(text);
    EXPECT_LT(leftOut.size(), lines.size() / 10);
    EXPECT_EQ(firstOf(readBackDifferences(Form::EightyColumn, *text, madeHead(), lines)), "");
}

/// What was changed on the way is found.
TEST(RandomReportTest, AChangedReportIsSeen) {
    MadeObservations made(7);
    const std::vector<Observation> lines{made.next(), made.next()};
    std::string text = xmlOf(lines).value();
    const auto at = text.find("<dec>") + 5;
    text[at + 1] = text[at + 1] == '4' ? '5' : '4';
    EXPECT_NE(firstOf(readBackDifferences(Form::Xml, text, madeHead(), lines)), "");
    EXPECT_NE(firstOf(readBackDifferences(Form::Psv, text, madeHead(), lines)), "");
    const auto schema = std::filesystem::path(PATHMARK_SOURCE_DIR) / "data" / "ades-2022.xsd";
    const auto mode = text.find("<mode>");
    text.erase(mode, text.find("</mode>") + 7 - mode);
    EXPECT_NE(firstOf(structureFaults(schema, text)), "");
    EXPECT_NE(firstOf(structureFaults(schema, "no XML")), "");
    EXPECT_NE(firstOf(structureFaults("/nowhere.xsd", text)), "");
}

} // namespace
} // namespace pathmark::report
