#include "core/night/report/reported_night.h"
#include "tests/support/made_report.h"

#include <gtest/gtest.h>

#include <functional>

namespace pathmark::night {
namespace {

/// One mistake, the doubt that it raises, and how many lines it concerns.
struct Mistake {
    const char* name;
    std::function<void(MadeReport&)> make;
    DoubtKind kind;
    std::size_t lines;
};

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

} // namespace
} // namespace pathmark::night
