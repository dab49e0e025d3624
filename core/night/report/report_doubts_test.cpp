#include "core/base/now.h"
#include "core/night/recipe.h"
#include "core/night/report/reported_night.h"
#include "core/orbit/place/sun_altitude.h"
#include "tests/support/temporary_folder.h"

#include <erfa.h>
#include <erfam.h>
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cmath>
#include <fstream>
#include <functional>
#include <numbers>
#include <random>
#include <set>

namespace pathmark::night {
namespace {

constexpr int kMadeFrames = 9;
const Utc kFirstLight = parseUtc("2034-03-17T20:00:00.37").value();

frame::Site ridge() {
    frame::Site site;
    site.longitude = Angle::degrees(23.4127);
    site.latitude = Angle::degrees(-31.2086);
    site.altitudeMetres = 1374.0;
    return site;
}

struct MadeBody {
    const char* name;
    double arcsecPerMin;
    double angleDegrees;
    bool candidate;
};

constexpr std::array kMadeBodies{MadeBody{"(2711043)", 0.7, 290.0, false},
                                 MadeBody{"(2804417)", 0.6, 285.0, false},
                                 MadeBody{"2034 EQ7", 3.1, 10.0, false},
                                 MadeBody{"2034 ER8", 22.0, 140.0, false},
                                 MadeBody{"c031701", 2.9, 2.0, true}};

/// An honest report: places scatter as their errors say, orbits are off by a few hundredths of an arcsec.
std::vector<MeasurementRecord> honest(unsigned seed) {
    std::mt19937 random(seed);
    std::normal_distribution<double> noise;
    std::vector<MeasurementRecord> lines;
    int number = 0;
    for (const MadeBody& body : kMadeBodies) {
        const double orbitRa = 0.03 * noise(random);
        const double orbitDec = 0.03 * noise(random);
        for (int i = 0; i < kMadeFrames; ++i) {
            MeasurementRecord m;
            m.id = fmt::format("m{}", number++);
            m.body = BodyId::of(body.name);
            m.candidate = body.candidate;
            m.frame = FrameId(fmt::format("f{}", i));
            m.time = kFirstLight.plusSeconds(400.0 * i);
            m.seen = true;
            m.sky = skyDegrees(177.0 + 0.01 * static_cast<double>(&body - kMadeBodies.data()),
                               2.0 + 0.0001 * i);
            m.raErrorArcsec = m.decErrorArcsec = 0.05;
            m.observedMinusComputedRa = orbitRa + m.raErrorArcsec * noise(random);
            m.observedMinusComputedDec = orbitDec + m.decErrorArcsec * noise(random);
            m.rateArcsecPerMin = body.arcsecPerMin;
            m.positionAngleDegrees = body.angleDegrees;
            m.magnitude = 18.0;
            m.magnitudeError = 0.05;
            m.band = "R";
            m.snr = 25.0;
            m.usedStars = 60;
            m.exposureSeconds = 60.0;
            lines.push_back(std::move(m));
        }
    }
    return lines;
}

using Lines = std::vector<MeasurementRecord>;

/// Everything that a report is held against, honest until a mistake is made in it.
struct MadeReport {
    ReportedNight night;
    Recipe recipe;
};

/// Truth: `honest`; lights begin at odd fractions of seconds, bodies are where and as bright as they are predicted.
MadeReport madeReport(unsigned seed) {
    MadeReport made;
    made.night.measurements = honest(seed);
    made.recipe.site = ridge();
    made.recipe.head.stationCode = "XXX";
    made.recipe.head.observers = {"I. Vellamo"};
    for (int i = 0; i < kMadeFrames; ++i) {
        LightRecord light;
        light.frame = FrameId(fmt::format("f{}", i));
        light.series = SeriesId("field");
        light.middle = kFirstLight.plusSeconds(400.0 * i);
        light.exposureSeconds = 60.0;
        made.night.lights.push_back(light);
        frame::FrameInfo info;
        info.id = light.frame;
        info.telescope = "Reflector";
        info.camera = "Camera";
        info.site = ridge();
        made.night.frames.push_back(info);
    }
    for (const MeasurementRecord& m : made.night.measurements) {
        if (m.candidate) {
            continue;
        }
        PredictionRecord p;
        p.body = m.body;
        p.title = m.body.text();
        p.frame = m.frame;
        p.time = m.time;
        p.sky = m.sky;
        p.rateArcsecPerMin = m.rateArcsecPerMin;
        p.positionAngleDegrees = m.positionAngleDegrees;
        p.magnitude = 18.2;
        p.sigmaMajorArcsec = 0.2;
        p.sigmaMinorArcsec = 0.1;
        made.night.predictions.push_back(p);
    }
    return made;
}

/// Doubts by the id of their line; but for what is true of the new body of every such report: one night alone.
std::map<std::string, std::vector<Doubt>> doubtsOf(const MadeReport& made) {
    std::map<std::string, std::vector<Doubt>> doubts;
    for (const ReportLine& line : reportLines(made.night, made.recipe)) {
        for (const Doubt& doubt : line.doubts) {
            if (doubt.kind != DoubtKind::OneNight) {
                doubts[line.measurement].push_back(doubt);
            }
        }
    }
    return doubts;
}

TEST(ReportDoubtsTest, HonestReportsRaiseNothing) {
    for (unsigned seed = 0; seed < 300; ++seed) {
        const auto doubts = doubtsOf(madeReport(seed));
        EXPECT_TRUE(doubts.empty()) << seed << ": " << doubts.begin()->second.front().words;
    }
}

/// One mistake, the doubt that it raises, and how many lines it concerns.
struct Mistake {
    const char* name;
    std::function<void(MadeReport&)> make;
    DoubtKind kind;
    std::size_t lines;
};

constexpr std::size_t kAll = kMadeFrames * kMadeBodies.size();

Lines& linesOf(MadeReport& made) {
    return made.night.measurements;
}

/// As if the clock were so many seconds slow: what is seen is further along than its time says.
void delay(MadeReport& made, double seconds) {
    for (auto& m : linesOf(made)) {
        if (!m.candidate) {
            const double along = m.rateArcsecPerMin / 60.0 * seconds;
            const double angle = m.positionAngleDegrees / 180.0 * std::numbers::pi;
            m.observedMinusComputedRa += along * std::sin(angle);
            m.observedMinusComputedDec += along * std::cos(angle);
        }
    }
}

void shiftFrame(MadeReport& made, const char* frame, double ra, double dec) {
    for (auto& m : linesOf(made)) {
        if (m.frame == FrameId(frame)) {
            m.observedMinusComputedRa += ra;
            m.observedMinusComputedDec += dec;
        }
    }
}

/// Times, and those of the lights, moved together, as a clock moves them.
void moveTimes(MadeReport& made, double seconds) {
    for (auto& m : linesOf(made)) {
        m.time = m.time.plusSeconds(seconds);
    }
    for (auto& light : made.night.lights) {
        light.middle = light.middle.plusSeconds(seconds);
    }
    for (auto& p : made.night.predictions) {
        p.time = p.time.plusSeconds(seconds);
    }
}

/// The lines of the new body.
template <typename Change>
void changeNewBody(MadeReport& made, const Change& change) {
    for (auto& m : linesOf(made)) {
        if (m.candidate) {
            change(m);
        }
    }
}

/// A stack of the first body about a frame's time.
void addStack(MadeReport& made, int frame, double span) {
    MeasurementRecord m = linesOf(made).front();
    m.id = fmt::format("s{}", frame);
    m.onStack = true;
    m.frame = FrameId();
    m.frames = 4;
    m.time = kFirstLight.plusSeconds(400.0 * frame + 7.0);
    m.spanSeconds = span;
    linesOf(made).push_back(m);
}

Sending sentBefore(const MadeReport& made, int line, double shiftArcsec) {
    const MeasurementRecord& m = made.night.measurements[static_cast<std::size_t>(line)];
    Sending sending;
    sending.id = "one";
    sending.at = "2034-03-18T09:00:00.000Z";
    sending.state = SendingState::Taken;
    sending.receipt = "R-1";
    sending.lines.push_back(
        {m.id, m.body.text(), m.time, offsetBy(m.sky, shiftArcsec, 0.0), m.magnitude, false, {}});
    return sending;
}

frame::Site awayFrom(const frame::Site& site, double degrees) {
    frame::Site other = site;
    other.longitude = Angle::degrees(site.longitude.degrees() + degrees);
    return other;
}

class ReportMistakeTest : public testing::TestWithParam<Mistake> {};

TEST_P(ReportMistakeTest, IsFoundWhereItIs) {
    const Mistake& mistake = GetParam();
    MadeReport made = madeReport(11);
    mistake.make(made);
    std::size_t told = 0;
    for (const auto& [id, doubts] : doubtsOf(made)) {
        bool isTold = false;
        for (const Doubt& doubt : doubts) {
            const bool isSymptom =
                mistake.kind == DoubtKind::ClockOff && doubt.kind == DoubtKind::FarFromOrbit;
            EXPECT_TRUE(doubt.kind == mistake.kind || isSymptom) << doubt.words;
            EXPECT_FALSE(doubt.words.empty());
            isTold = isTold || doubt.kind == mistake.kind;
        }
        told += isTold ? 1 : 0;
    }
    EXPECT_EQ(told, mistake.lines);
}

/// Every one of them can be sent all the same, with a reason, and then is.
TEST_P(ReportMistakeTest, CanBeWaivedWithAReason) {
    MadeReport made = madeReport(11);
    GetParam().make(made);
    Decided& decided = made.night.decided;
    for (const ReportLine& line : reportLines(made.night, made.recipe)) {
        for (const Doubt& doubt : line.doubts) {
            decided.apply(WaveThrough{line.measurement, doubt.key(), "looked at", true});
        }
    }
    for (const ReportLine& line : reportLines(made.night, made.recipe)) {
        EXPECT_FALSE(line.isDoubted());
        for (const Doubt& doubt : line.doubts) {
            EXPECT_EQ(doubt.waived, "looked at");
        }
    }
}

using M = MadeReport;

INSTANTIATE_TEST_SUITE_P(
    Clock,
    ReportMistakeTest,
    testing::Values(
        Mistake{"a_minute_slow", [](M& m) { delay(m, 60.0); }, DoubtKind::ClockOff, kAll},
        Mistake{"half_a_minute_fast", [](M& m) { delay(m, -30.0); }, DoubtKind::ClockOff, kAll},
        Mistake{"five_seconds", [](M& m) { delay(m, 5.0); }, DoubtKind::ClockOff, kAll},
        Mistake{"two_seconds_fast", [](M& m) { delay(m, -2.0); }, DoubtKind::ClockOff, kAll},
        Mistake{"an_hour_zone_east",
                [](M& m) { moveTimes(m, 9.0 * 3600.0); },
                DoubtKind::Daylight,
                kAll},
        Mistake{"an_hour_zone_west",
                [](M& m) { moveTimes(m, -6.0 * 3600.0); },
                DoubtKind::Daylight,
                kAll},
        Mistake{"one_by_day",
                [](M& m) { linesOf(m)[5].time = parseUtc("2034-03-17T12:00:00").value(); },
                DoubtKind::Daylight,
                1},
        Mistake{"at_dusk",
                [](M& m) { linesOf(m)[0].time = parseUtc("2034-03-17T16:40:00").value(); },
                DoubtKind::Daylight,
                1},
        Mistake{"at_dawn",
                [](M& m) { linesOf(m)[8].time = parseUtc("2034-03-18T04:25:00").value(); },
                DoubtKind::Daylight,
                1},
        Mistake{"in_doubt",
                [](M& m) { m.night.lights[4].timeUnsure = true; },
                DoubtKind::TimeUnsure,
                kMadeBodies.size()},
        Mistake{"of_all_in_doubt",
                [](M& m) {
                    for (auto& light : m.night.lights) {
                        light.timeUnsure = true;
                    }
                },
                DoubtKind::TimeUnsure,
                kAll},
        // Of the fast body alone a second cut off is more than half the error.
        Mistake{"whole_seconds",
                [](M& m) {
                    for (auto& one : m.night.frames) {
                        one.timeStepSeconds = 1.0;
                    }
                },
                DoubtKind::WholeSeconds,
                kMadeFrames},
        Mistake{"two_of_one_time",
                [](M& m) { linesOf(m)[3].time = linesOf(m)[4].time; },
                DoubtKind::SameTime,
                2},
        Mistake{"same_frame_twice",
                [](M& m) {
                    linesOf(m).push_back(linesOf(m)[2]);
                    linesOf(m).back().id = "again";
                },
                DoubtKind::SameTime,
                2}),
    [](const auto& made) { return std::string(made.param.name); });

INSTANTIATE_TEST_SUITE_P(
    Place,
    ReportMistakeTest,
    testing::Values(
        Mistake{
            "frame_off_east", [](M& m) { shiftFrame(m, "f3", 0.9, 0.0); }, DoubtKind::FrameOff, 5},
        Mistake{"frame_off_south",
                [](M& m) { shiftFrame(m, "f0", 0.0, -0.8); },
                DoubtKind::FrameOff,
                5},
        Mistake{"line_off",
                [](M& m) { linesOf(m)[4].observedMinusComputedDec += 0.8; },
                DoubtKind::OffItsBody,
                1},
        Mistake{"two_lines_off",
                [](M& m) {
                    linesOf(m)[4].observedMinusComputedDec += 0.8;
                    linesOf(m)[24].observedMinusComputedRa -= 0.9;
                },
                DoubtKind::OffItsBody,
                2},
        Mistake{"candidate_off",
                [](M& m) { linesOf(m)[kAll - 2].observedMinusComputedDec -= 3.0; },
                DoubtKind::OffItsBody,
                1},
        Mistake{"far_from_orbit",
                [](M& m) {
                    for (int i = 0; i < kMadeFrames; ++i) {
                        linesOf(m)[static_cast<std::size_t>(i)].observedMinusComputedRa += 4.0;
                    }
                },
                DoubtKind::FarFromOrbit,
                kMadeFrames},
        Mistake{"one_far_from_orbit",
                [](M& m) { linesOf(m)[12].observedMinusComputedRa += 11.0; },
                DoubtKind::FarFromOrbit,
                1},
        Mistake{"weak", [](M& m) { linesOf(m)[1].snr = 3.4; }, DoubtKind::WeakSignal, 1},
        Mistake{"uncertain",
                [](M& m) { linesOf(m)[1].raErrorArcsec = 1.6; },
                DoubtKind::UncertainPlace,
                1},
        Mistake{"one_star", [](M& m) { linesOf(m)[1].usedStars = 1; }, DoubtKind::FewStars, 1},
        Mistake{"seven_stars", [](M& m) { linesOf(m)[1].usedStars = 7; }, DoubtKind::FewStars, 1},
        Mistake{"one_light_two_names",
                [](M& m) { linesOf(m)[0].sky = linesOf(m)[kMadeFrames].sky; },
                DoubtKind::SharedLight,
                2},
        Mistake{"new_and_known_share_a_light",
                [](M& m) {
                    linesOf(m)[kAll - 1].sky = linesOf(m)[8].sky;
                    linesOf(m)[kAll - 1].positionAngleDegrees = 110.0;
                },
                DoubtKind::SharedLight,
                2}),
    [](const auto& made) { return std::string(made.param.name); });

INSTANTIATE_TEST_SUITE_P(
    Brightness,
    ReportMistakeTest,
    testing::Values(
        Mistake{"no_band", [](M& m) { linesOf(m)[7].band.clear(); }, DoubtKind::NoBand, 1},
        Mistake{
            "clear_as_band", [](M& m) { linesOf(m)[7].band = "CV"; }, DoubtKind::StrangeBand, 1},
        Mistake{"strange_band", [](M& m) { linesOf(m)[7].band = "?"; }, DoubtKind::StrangeBand, 1},
        Mistake{"name_of_a_filter",
                [](M& m) {
                    for (auto& line : linesOf(m)) {
                        line.band = "Luminance";
                    }
                },
                DoubtKind::StrangeBand,
                kAll},
        Mistake{"no_magnitude",
                [](M& m) { linesOf(m)[7].magnitude.reset(); },
                DoubtKind::NoMagnitude,
                1},
        Mistake{"one_fainter",
                [](M& m) { linesOf(m)[7].magnitude = 19.6; },
                DoubtKind::MagnitudeApart,
                1},
        Mistake{"one_brighter",
                [](M& m) { linesOf(m)[7].magnitude = 16.7; },
                DoubtKind::MagnitudeApart,
                1},
        Mistake{"all_of_a_body_brighter",
                [](M& m) {
                    for (int i = 0; i < kMadeFrames; ++i) {
                        linesOf(m)[static_cast<std::size_t>(i)].magnitude = 15.1;
                    }
                },
                DoubtKind::MagnitudeFar,
                kMadeFrames},
        Mistake{"zero_point_of_another_band",
                [](M& m) {
                    for (auto& line : linesOf(m)) {
                        line.magnitude = *line.magnitude + 2.6;
                    }
                },
                DoubtKind::MagnitudeFar,
                kAll - kMadeFrames}),
    [](const auto& made) { return std::string(made.param.name); });

INSTANTIATE_TEST_SUITE_P(
    Bodies,
    ReportMistakeTest,
    testing::Values(
        Mistake{"one_line",
                [](M& m) {
                    linesOf(m).erase(linesOf(m).begin() + 1, linesOf(m).begin() + kMadeFrames);
                },
                DoubtKind::OnlyLine,
                1},
        Mistake{"two_lines",
                [](M& m) {
                    linesOf(m).erase(linesOf(m).begin() + 2, linesOf(m).begin() + kMadeFrames);
                },
                DoubtKind::FewLines,
                2},
        Mistake{
            "new_one_with_a_number",
            [](M& m) { changeNewBody(m, [](auto& line) { line.body = BodyId::of("(2711044)"); }); },
            DoubtKind::OwnName,
            kMadeFrames},
        Mistake{"new_one_named_by_digits",
                [](M& m) { m.night.decided.ownNames[BodyId::of("c031701")] = "20340"; },
                DoubtKind::OwnName,
                kMadeFrames},
        Mistake{"new_one_named_with_a_bar",
                [](M& m) { m.night.decided.ownNames[BodyId::of("c031701")] = "my|one"; },
                DoubtKind::OwnName,
                kMadeFrames},
        Mistake{"new_one_in_quotes",
                [](M& m) { m.night.decided.ownNames[BodyId::of("c031701")] = "\"x\""; },
                DoubtKind::OwnName,
                kMadeFrames},
        Mistake{"new_one_is_where_a_known_one_is",
                [](M& m) {
                    PredictionRecord p = m.night.predictions.front();
                    const auto& line = linesOf(m)[kAll - 5];
                    p.body = BodyId::of("2031 TB4");
                    p.title = "2031 TB4";
                    p.time = line.time;
                    p.sky = offsetBy(line.sky, 2.0, -1.0);
                    p.rateArcsecPerMin = 2.8;
                    p.positionAngleDegrees = 3.0;
                    p.sigmaMajorArcsec = 1.0;
                    p.sigmaMinorArcsec = 1.0;
                    m.night.predictions.push_back(p);
                },
                DoubtKind::KnownBody,
                kMadeFrames},
        Mistake{"new_one_within_the_error_of_a_lost_one",
                [](M& m) {
                    PredictionRecord p = m.night.predictions.front();
                    const auto& line = linesOf(m)[kAll - 5];
                    p.body = BodyId::of("2031 TB4");
                    p.title = "2031 TB4";
                    p.time = line.time.plusSeconds(100.0);
                    p.sky = offsetBy(line.sky, 500.0, 3.0); // along the major axis
                    p.rateArcsecPerMin = 2.6;
                    p.positionAngleDegrees = 359.0;
                    p.sigmaMajorArcsec = 400.0;
                    p.sigmaMinorArcsec = 2.0;
                    p.sigmaAngleDegrees = 90.0;
                    m.night.predictions.push_back(p);
                },
                DoubtKind::KnownBody,
                kMadeFrames},
        Mistake{"new_one_moves_as_a_known_one",
                [](M& m) {
                    TrackRecord track;
                    track.name = "c031701";
                    track.resembles = "2031 TB4";
                    track.resemblesArcsec = 90.0;
                    m.night.tracks.push_back(track);
                },
                DoubtKind::KnownBody,
                kMadeFrames}),
    [](const auto& made) { return std::string(made.param.name); });

INSTANTIATE_TEST_SUITE_P(
    Station,
    ReportMistakeTest,
    testing::Values(Mistake{"no_code",
                            [](M& m) { m.recipe.head.stationCode.clear(); },
                            DoubtKind::UnknownStation,
                            kAll},
                    Mistake{"code_too_short",
                            [](M& m) { m.recipe.head.stationCode = "X1"; },
                            DoubtKind::UnknownStation,
                            kAll},
                    Mistake{"name_for_a_code",
                            [](M& m) { m.recipe.head.stationCode = "Tern"; },
                            DoubtKind::UnknownStation,
                            kAll},
                    Mistake{"headers_of_another_place",
                            [](M& m) {
                                for (auto& one : m.night.frames) {
                                    one.site = awayFrom(ridge(), 0.4);
                                }
                            },
                            DoubtKind::StationElsewhere,
                            kAll},
                    Mistake{"west_for_east",
                            [](M& m) {
                                for (auto& one : m.night.frames) {
                                    one.site->longitude =
                                        Angle::degrees(-ridge().longitude.degrees());
                                }
                            },
                            DoubtKind::StationElsewhere,
                            kAll},
                    Mistake{"one_header_of_another_place",
                            [](M& m) { m.night.frames[2].site = awayFrom(ridge(), -2.0); },
                            DoubtKind::StationElsewhere,
                            5},
                    Mistake{"two_telescopes",
                            [](M& m) {
                                for (std::size_t i = 0; i < 4; ++i) {
                                    m.night.frames[i].telescope = "Refractor";
                                }
                            },
                            DoubtKind::MixedTelescopes,
                            20},
                    Mistake{"two_cameras",
                            [](M& m) {
                                for (std::size_t i = 0; i < m.night.frames.size(); ++i) {
                                    m.night.frames[i].telescope.clear();
                                    m.night.frames[i].camera = i < 2 ? "Old" : "New";
                                }
                            },
                            DoubtKind::MixedTelescopes,
                            10},
                    Mistake{"nobody_observed",
                            [](M& m) { m.recipe.head.observers.clear(); },
                            DoubtKind::NoObserver,
                            kAll}),
    [](const auto& made) { return std::string(made.param.name); });

INSTANTIATE_TEST_SUITE_P(
    Twice,
    ReportMistakeTest,
    testing::Values(
        Mistake{
            "stack_over_its_frames", [](M& m) { addStack(m, 4, 1300.0); }, DoubtKind::Overlap, 4},
        Mistake{"stacks_that_share_frames",
                [](M& m) {
                    std::erase_if(linesOf(m), [](const auto& line) {
                        return line.body == BodyId::of("(2711043)") && line.frame != FrameId("f0");
                    });
                    addStack(m, 3, 1300.0);
                    addStack(m, 5, 1300.0);
                },
                DoubtKind::Overlap,
                2},
        Mistake{"sent_and_measured_anew",
                [](M& m) { m.night.sendings.push_back(sentBefore(m, 4, 0.3)); },
                DoubtKind::SentBefore,
                1},
        Mistake{"sent_with_another_magnitude",
                [](M& m) {
                    m.night.sendings.push_back(sentBefore(m, 4, 0.0));
                    m.night.sendings[0].lines[0].magnitude = 17.2;
                },
                DoubtKind::SentBefore,
                1},
        Mistake{"sent_from_another_picture",
                [](M& m) {
                    m.night.sendings.push_back(sentBefore(m, 4, 0.5));
                    m.night.sendings[0].lines[0].line = "another";
                },
                DoubtKind::SentBefore,
                1},
        Mistake{"sent_with_another_time",
                [](M& m) {
                    m.night.sendings.push_back(sentBefore(m, 4, 0.0));
                    m.night.sendings[0].lines[0].time =
                        m.night.sendings[0].lines[0].time.plusSeconds(60.0);
                },
                DoubtKind::SentBefore,
                1}),
    [](const auto& made) { return std::string(made.param.name); });

/// Times that are still to come, by this machine's own clock; what is years off is made up.
TEST(ReportDoubtsTest, TheFutureIsDoubted) {
    const Utc today = utcNow();
    for (const auto& [days, isDoubted] : {std::pair{-0.5, false},
                                          std::pair{0.5, true},
                                          std::pair{8.0, true},
                                          std::pair{3000.0, false}}) {
        MadeReport made = madeReport(11);
        moveTimes(made, today.secondsSince(kFirstLight) + days * kSecondsPerDay);
        made.recipe.siteKnown = false; // the Sun is another matter
        std::size_t told = 0;
        for (const auto& [id, doubts] : doubtsOf(made)) {
            for (const Doubt& doubt : doubts) {
                EXPECT_EQ(doubt.kind, DoubtKind::Future) << doubt.words;
            }
            ++told;
        }
        EXPECT_EQ(told, isDoubted ? kAll : 0U) << days;
    }
}

/// A list of stations that does not have the code, or has it elsewhere.
TEST(ReportDoubtsTest, ListsOfStationsAreAsked) {
    const test_support::TemporaryFolder folder;
    const auto list = folder.path() / "codes.txt";
    MadeReport made = madeReport(11);
    made.recipe.siteCodeFiles = {list};
    made.recipe.head.stationCode = "Z97";
    const auto kinds = [&] {
        std::set<std::string> all;
        for (const auto& [id, doubts] : doubtsOf(made)) {
            for (const Doubt& doubt : doubts) {
                all.insert(name(doubt.kind));
            }
        }
        return all;
    };
    const auto write = [&](const char* code, const frame::Site& site) {
        orbit::ListedSite listed;
        listed.site = site;
        listed.site.code = code;
        double place[3];
        eraGd2gc(ERFA_WGS84,
                 site.longitude.radians(),
                 site.latitude.radians(),
                 site.altitudeMetres,
                 place);
        constexpr double equator = 6378137.0;
        listed.site.parallaxConstants = {std::hypot(place[0], place[1]) / equator,
                                         place[2] / equator};
        listed.hasPlace = true;
        listed.title = "Tern Ridge";
        std::ofstream(list) << orbit::toListLine(listed) << "\n";
    };
    write("Z97", ridge());
    EXPECT_EQ(kinds(), std::set<std::string>{});
    write("Z98", ridge());
    EXPECT_EQ(kinds(), std::set<std::string>{"unknown_station"});
    write("Z97", awayFrom(ridge(), 1.0));
    EXPECT_EQ(kinds(), std::set<std::string>{"station_elsewhere"});
}

/// What the observer said of a line is what is reported, and what it was doubted for is gone.
TEST(ReportDoubtsTest, WhatIsMendedIsNoLongerDoubted) {
    MadeReport made = madeReport(11);
    linesOf(made)[7].band = "CV";
    linesOf(made)[8].magnitude = 21.0;
    made.night.lights[2].timeUnsure = true;
    EXPECT_EQ(doubtsOf(made).size(), 7U);
    made.night.decided.apply(CorrectLine{"m7", LineCorrection{"R", false, {}, {}}});
    made.night.decided.apply(CorrectLine{"m8", LineCorrection{{}, true, {}, {}}});
    for (const auto& m : linesOf(made)) {
        if (m.frame == FrameId("f2")) {
            made.night.decided.apply(CorrectLine{m.id, LineCorrection{{}, false, 1.5, "drifts"}});
        }
    }
    EXPECT_TRUE(doubtsOf(made).empty());
    const auto lines = reportLines(made.night, made.recipe);
    EXPECT_EQ(lines[7].observation.band, "R");
    EXPECT_FALSE(lines[8].observation.magnitude);
    EXPECT_EQ(lines[2].observation.timeUncertainSeconds, 1.5);
    EXPECT_EQ(lines[2].observation.remark, "drifts");
    made.night.decided.apply(NameCandidate{BodyId::of("c031701"), "Fox12"});
    EXPECT_EQ(reportLines(made.night, made.recipe).back().observation.body, "Fox12");
}

/// What was sent as it is stands in its line and is not sent again, unless the observer says so.
TEST(ReportDoubtsTest, WhatWasSentIsNotSentAgain) {
    MadeReport made = madeReport(11);
    made.night.sendings.push_back(sentBefore(made, 4, 0.0));
    EXPECT_TRUE(doubtsOf(made).empty());
    auto lines = reportLines(made.night, made.recipe);
    ASSERT_TRUE(lines[4].fate);
    EXPECT_NE(lines[4].fate->words.find("receipt R-1"), std::string::npos);
    EXPECT_FALSE(lines[4].isToBeSent());
    EXPECT_TRUE(lines[5].isToBeSent());
    made.night.sendings[0] = sentBefore(made, 4, 0.3);
    made.night.sendings[0].lines[0].isRefused = true;
    lines = reportLines(made.night, made.recipe);
    EXPECT_TRUE(lines[4].isToBeSent()) << "what was refused may go again";
    made.night.sendings[0].lines[0].isRefused = false;
    EXPECT_FALSE(reportLines(made.night, made.recipe)[4].isToBeSent());
    made.night.decided.apply(WaveThrough{"m4", "sent_before one", "measured better", true});
    EXPECT_TRUE(reportLines(made.night, made.recipe)[4].isToBeSent());
}

/// Kinds are stored by their names.
TEST(ReportDoubtsTest, EveryKindHasAName) {
    std::set<std::string> names;
    for (const DoubtKind kind : allDoubtKinds()) {
        EXPECT_EQ(doubtKindNamed(name(kind)), kind);
        names.insert(name(kind));
    }
    EXPECT_EQ(names.size(), allDoubtKinds().size());
    EXPECT_FALSE(doubtKindNamed("gremlins"));
}

/// Truth: the Sun by eraEpv00 (aberration and light time are 0.006 degrees), sidereal time by eraGmst06.
TEST(SunAltitudeTest, AgreesWithErfa) {
    const frame::Site site = ridge();
    for (int day = 0; day < 20000; day += 97) {
        const Utc time = Utc::julian(2440000.5 + day + 0.013 * (day % 77));
        double heliocentric[2][3];
        double barycentric[2][3];
        eraEpv00(time.julian(), 70.0 / 86400.0, heliocentric, barycentric);
        double toDate[3][3];
        eraPnm06a(time.julian(), 0.0, toDate);
        double sun[3];
        eraRxp(toDate, heliocentric[0], sun);
        const double ra = std::atan2(-sun[1], -sun[0]);
        const double dec = std::atan2(-sun[2], std::hypot(sun[0], sun[1]));
        const double hour =
            eraGst06a(time.julian(), 0.0, time.julian(), 0.0) + site.longitude.radians() - ra;
        const double latitude = site.latitude.radians();
        const double altitude = std::asin(std::sin(latitude) * std::sin(dec) +
                                          std::cos(latitude) * std::cos(dec) * std::cos(hour));
        EXPECT_NEAR(orbit::sunAltitude(site, time).radians(), altitude, 0.0005) << day;
    }
}

} // namespace
} // namespace pathmark::night
