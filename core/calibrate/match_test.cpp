#include "core/calibrate/match.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <functional>

namespace pathmark::calibrate {
namespace {

using frame::FrameInfo;
using frame::FrameKind;

constexpr double kNight = 2464000.0;

/// What a header says of one group of frames; the rest is as in the lights of every situation.
struct Taken {
    FrameKind kind = FrameKind::Light;
    double exposure = 60.0;     ///< below 0: not known
    double temperature = -10.0; ///< 99: not known
    std::string filter{};
    double night = 0.0; ///< days after the lights
    int count = 10;
    int width = 100;
    int binning = 1;
    double gain = 100.0; ///< below 0: not known
    double offset = -1.0;
    std::string mode{};
    std::string camera = "Brack M2";
    std::string bayer{};
    double rotation = 999.0; ///< 999: not known
    double level = -1.0;     ///< ADU; below 0: not looked at
    bool master = false;
    int planes = 1;
};

std::vector<FrameInfo> framesOf(const Taken& taken) {
    static int number = 0;
    std::vector<FrameInfo> frames;
    for (int i = 0; i < taken.count; ++i) {
        FrameInfo f;
        f.path = "/n/" + std::to_string(number++) + ".fits";
        f.kind = taken.kind;
        f.isMaster = taken.master;
        f.width = taken.width;
        f.height = 80;
        f.planes = taken.planes;
        f.exposureKnown = taken.exposure >= 0.0;
        f.exposureSeconds = std::max(0.0, taken.exposure);
        f.filter = taken.filter;
        f.camera = taken.camera;
        f.bayerPattern = taken.bayer;
        f.readoutMode = taken.mode;
        f.binningX = f.binningY = taken.binning;
        if (taken.temperature < 90.0) {
            f.temperatureCelsius = taken.temperature;
        }
        if (taken.gain >= 0.0) {
            f.gainSetting = taken.gain;
        }
        if (taken.offset >= 0.0) {
            f.offsetSetting = taken.offset;
        }
        if (taken.rotation < 900.0) {
            f.rotationDegrees = taken.rotation;
        }
        if (taken.level >= 0.0) {
            f.sample = frame::PixelSample{taken.level, 10.0, 0.0, 1.0};
        }
        f.midExposure = Utc::julian(kNight + taken.night, 0.001 * i);
        f.pointing = skyDegrees(10.0, 10.0);
        frames.push_back(f);
    }
    return frames;
}

Taken bias() {
    return {.kind = FrameKind::Bias, .exposure = 0.0};
}

Taken dark(double exposure = 60.0) {
    return {.kind = FrameKind::Dark, .exposure = exposure};
}

Taken flat(const std::string& filter = "R", double exposure = 3.0) {
    return {.kind = FrameKind::Flat, .exposure = exposure, .filter = filter};
}

Taken with(Taken taken, const std::function<void(Taken&)>& change) {
    change(taken);
    return taken;
}

struct Situation {
    std::string what;
    Taken light;
    std::vector<Taken> calibration;
    std::string
        darkRole;  ///< which role takes the lights' pedestal: "dark", "scaled dark", "bias" or ""
    int darkIndex; ///< which of `calibration`, -1 for none
    int flatIndex;
    std::string
        sentence; ///< part of the reason of the dark (or of the flat where the dark is not the point)
    std::string warning; ///< part of a warning, "" for none at all
};

const Taken kLight{.kind = FrameKind::Light, .filter = "R", .count = 5};

class MatchTest : public testing::TestWithParam<Situation> {};

/// Truth: what a careful observer would choose, written down case by case.
TEST_P(MatchTest, ChoosesAndSaysWhy) {
    const Situation& situation = GetParam();
    std::vector<FrameInfo> frames = framesOf(situation.light);
    std::vector<std::string> firstPaths;
    for (const Taken& taken : situation.calibration) {
        const auto more = framesOf(taken);
        firstPaths.push_back(more.front().path.string());
        frames.insert(frames.end(), more.begin(), more.end());
    }
    const auto groups = groupFrames(frames);
    const auto light = std::find_if(groups.begin(), groups.end(), [](const FrameGroup& g) {
        return g.example.kind == FrameKind::Light;
    });
    const auto match = matchMasters(*light, groups);
    const auto indexOf = [&](Role role) {
        const auto group = match.group(role);
        if (!group) {
            return -1;
        }
        const auto found = std::find(firstPaths.begin(), firstPaths.end(), groups[*group].id());
        return static_cast<int>(found - firstPaths.begin());
    };
    const Role role = match.feed(Role::Dark) != nullptr         ? Role::Dark
                      : match.feed(Role::ScaledDark) != nullptr ? Role::ScaledDark
                                                                : Role::Bias;
    EXPECT_EQ(indexOf(role), situation.darkIndex);
    if (situation.darkIndex >= 0) {
        EXPECT_EQ(name(role), situation.darkRole);
    }
    if (role == Role::ScaledDark) {
        EXPECT_NE(match.feed(Role::Bias), nullptr) << "a scaled dark needs its bias";
    }
    EXPECT_EQ(indexOf(Role::Flat), situation.flatIndex);
    std::string reasons;
    for (const auto& feed : match.feeds) {
        reasons += feed.reason + "\n";
    }
    EXPECT_NE(reasons.find(situation.sentence), std::string::npos) << reasons;
    std::string warnings;
    for (const auto& warning : match.warnings) {
        warnings += warning + "\n";
    }
    if (situation.warning.empty()) {
        EXPECT_EQ(warnings, "");
    } else {
        EXPECT_NE(warnings.find(situation.warning), std::string::npos) << warnings;
    }
}

Taken lightWith(const std::function<void(Taken&)>& change) {
    return with(kLight, change);
}

INSTANTIATE_TEST_SUITE_P(
    Darks,
    MatchTest,
    testing::Values(
        Situation{"all there",
                  kLight,
                  {bias(), dark(), flat()},
                  "dark",
                  1,
                  2,
                  "exposure and temperature agree; taken the same night",
                  ""},
        Situation{"a dark within two per cent",
                  kLight,
                  {bias(), dark(60.9), flat()},
                  "dark",
                  1,
                  2,
                  "its exposure of 60.9 s is 0.9 s off",
                  ""},
        Situation{"bulb exposures that differ by a second",
                  lightWith([](Taken& taken) { taken.exposure = 30.0; }),
                  {bias(), dark(31.0), flat()},
                  "dark",
                  1,
                  2,
                  "1 s off",
                  ""},
        Situation{"a second more is too much of five",
                  lightWith([](Taken& taken) { taken.exposure = 5.0; }),
                  {bias(), dark(6.0), flat()},
                  "scaled dark",
                  1,
                  2,
                  "its 6 s are scaled",
                  ""},
        Situation{"two seconds are too much of thirty",
                  lightWith([](Taken& taken) { taken.exposure = 30.0; }),
                  {bias(), dark(32.0), flat()},
                  "scaled dark",
                  1,
                  2,
                  "no dark of 30 s fits, so its 32 s are scaled",
                  ""},
        Situation{"of two exposures the right one",
                  kLight,
                  {bias(), dark(120.0), dark(), flat()},
                  "dark",
                  2,
                  3,
                  "dark 60 s",
                  ""},
        Situation{"of two near exposures the nearer",
                  kLight,
                  {bias(), dark(59.0), dark(60.9), flat()},
                  "dark",
                  2,
                  3,
                  "dark 60.9 s",
                  ""},
        Situation{"another exposure is scaled with the bias",
                  kLight,
                  {bias(), dark(120.0), flat()},
                  "scaled dark",
                  1,
                  2,
                  "its 120 s are scaled, with the bias",
                  ""},
        Situation{"of two to scale the longer",
                  kLight,
                  {bias(), dark(20.0), dark(120.0), flat()},
                  "scaled dark",
                  2,
                  3,
                  "its 120 s are scaled",
                  ""},
        Situation{"a very long one costs more than a little long one",
                  kLight,
                  {bias(), dark(1200.0), dark(90.0), flat()},
                  "scaled dark",
                  2,
                  3,
                  "its 90 s are scaled",
                  ""},
        Situation{"without bias another exposure is of no use",
                  kLight,
                  {dark(120.0), flat()},
                  "",
                  -1,
                  1,
                  "",
                  "Take darks of 60 s"},
        Situation{"only a bias",
                  kLight,
                  {bias(), flat()},
                  "bias",
                  0,
                  1,
                  "camera, size and gain agree",
                  "only the bias is taken off"},
        Situation{"nothing at all", kLight, {}, "", -1, -1, "", "keep their bias level"},
        Situation{"the light's exposure is missing",
                  lightWith([](Taken& taken) { taken.exposure = -1.0; }),
                  {bias(), dark(), flat()},
                  "bias",
                  0,
                  2,
                  "",
                  "the exposure it should have is not known"},
        Situation{"the dark's exposure is missing",
                  kLight,
                  {bias(), with(dark(), [](Taken& taken) { taken.exposure = -1.0; }), flat()},
                  "bias",
                  0,
                  2,
                  "",
                  "its exposure is not known"},
        Situation{
            "of two temperatures the lights' own",
            kLight,
            {bias(), with(dark(), [](Taken& taken) { taken.temperature = -7.0; }), dark(), flat()},
            "dark",
            2,
            3,
            "-10 °C",
            ""},
        Situation{"a degree off is used and told",
                  kLight,
                  {bias(), with(dark(), [](Taken& taken) { taken.temperature = -8.5; }), flat()},
                  "dark",
                  1,
                  2,
                  "taken at -8.5 °C, not -10.0 °C",
                  "differs in temperature"},
        Situation{"five degrees off is scaled, as its hot pixels say",
                  kLight,
                  {bias(), with(dark(), [](Taken& taken) { taken.temperature = -5.0; }), flat()},
                  "scaled dark",
                  1,
                  2,
                  "its 60 s are scaled",
                  ""},
        Situation{"thirty degrees off is of no use",
                  kLight,
                  {bias(), with(dark(), [](Taken& taken) { taken.temperature = 20.0; }), flat()},
                  "bias",
                  0,
                  2,
                  "",
                  "it was taken at 20.0 °C, not -10.0 °C"},
        Situation{
            "a dark without temperature gives way",
            kLight,
            {bias(), with(dark(), [](Taken& taken) { taken.temperature = 99.0; }), dark(), flat()},
            "dark",
            2,
            3,
            "-10 °C",
            ""},
        Situation{"a dark without temperature is better than none",
                  kLight,
                  {bias(), with(dark(), [](Taken& taken) { taken.temperature = 99.0; }), flat()},
                  "dark",
                  1,
                  2,
                  "only one of the two headers gives the temperature",
                  ""},
        Situation{"a dark of another size",
                  kLight,
                  {bias(), with(dark(), [](Taken& taken) { taken.width = 128; }), flat()},
                  "bias",
                  0,
                  2,
                  "",
                  "its size is 128 x 80, not 100 x 80"},
        Situation{"a dark of other binning",
                  kLight,
                  {bias(), with(dark(), [](Taken& taken) { taken.binning = 2; }), flat()},
                  "bias",
                  0,
                  2,
                  "",
                  "its binning is 2 x 2, not 1 x 1"},
        Situation{"a dark of another camera",
                  kLight,
                  {bias(), with(dark(), [](Taken& taken) { taken.camera = "Vell C1"; }), flat()},
                  "bias",
                  0,
                  2,
                  "",
                  "its camera is 'Vell C1', not 'Brack M2'"},
        Situation{"mixed gains",
                  kLight,
                  {bias(), with(dark(), [](Taken& taken) { taken.gain = 200.0; }), flat()},
                  "bias",
                  0,
                  2,
                  "",
                  "its gain setting is 200, not 100"},
        Situation{"mixed gains, one of them right",
                  kLight,
                  {bias(), with(dark(), [](Taken& taken) { taken.gain = 200.0; }), dark(), flat()},
                  "dark",
                  2,
                  3,
                  "gain 100",
                  ""},
        Situation{"a dark without its gain gives way",
                  kLight,
                  {bias(), with(dark(), [](Taken& taken) { taken.gain = -1.0; }), dark(), flat()},
                  "dark",
                  2,
                  3,
                  "gain 100",
                  ""},
        Situation{"another offset",
                  lightWith([](Taken& taken) { taken.offset = 20.0; }),
                  {bias(), with(dark(), [](Taken& taken) { taken.offset = 50.0; }), flat()},
                  "bias",
                  0,
                  2,
                  "",
                  "its offset is 50, not 20"},
        Situation{"another read-out mode",
                  lightWith([](Taken& taken) { taken.mode = "fast"; }),
                  {bias(), with(dark(), [](Taken& taken) { taken.mode = "slow"; }), flat()},
                  "bias",
                  0,
                  2,
                  "",
                  "its read-out mode is 'slow', not 'fast'"},
        Situation{"a colour picture is no dark",
                  kLight,
                  {bias(), with(dark(), [](Taken& taken) { taken.planes = 3; }), flat()},
                  "bias",
                  0,
                  2,
                  "",
                  "it has 3 colour planes, not 1"},
        Situation{"last week's darks will do",
                  kLight,
                  {bias(), with(dark(), [](Taken& taken) { taken.night = -7.0; }), flat()},
                  "dark",
                  1,
                  2,
                  "taken 7 days earlier",
                  ""},
        Situation{"tonight's darks before last season's",
                  kLight,
                  {bias(), with(dark(), [](Taken& taken) { taken.night = -90.0; }), dark(), flat()},
                  "dark",
                  2,
                  3,
                  "taken the same night",
                  ""},
        Situation{"two darks only",
                  kLight,
                  {bias(), with(dark(), [](Taken& taken) { taken.count = 2; }), flat()},
                  "dark",
                  1,
                  2,
                  "it has only 2 frame(s)",
                  "adds its noise to every light"},
        Situation{"a ready master of the library",
                  kLight,
                  {bias(),
                   with(dark(),
                        [](Taken& taken) {
                            taken.master = true;
                            taken.count = 1;
                            taken.night = -20.0;
                        }),
                   flat()},
                  "dark",
                  1,
                  2,
                  "master dark 60 s",
                  ""},
        Situation{"fresh darks before a ready master of another month",
                  kLight,
                  {bias(),
                   with(dark(),
                        [](Taken& taken) {
                            taken.master = true;
                            taken.count = 1;
                            taken.night = -40.0;
                        }),
                   dark(),
                   flat()},
                  "dark",
                  2,
                  3,
                  "taken the same night",
                  ""}));

INSTANTIATE_TEST_SUITE_P(
    Flats,
    MatchTest,
    testing::Values(
        Situation{"short flats give way",
                  kLight,
                  {bias(), dark(), flat(), flat("R", 0.08)},
                  "dark",
                  1,
                  2,
                  "flat 3 s R",
                  ""},
        Situation{"short flats alone",
                  kLight,
                  {bias(), dark(), flat("R", 0.08)},
                  "dark",
                  1,
                  2,
                  "can show the shutter's shape",
                  "under 1 s"},
        Situation{"another filter",
                  kLight,
                  {bias(), dark(), flat("V")},
                  "dark",
                  1,
                  -1,
                  "",
                  "its filter is 'V', not 'R'"},
        Situation{"the right filter of three",
                  kLight,
                  {bias(), dark(), flat("V"), flat("B"), flat("R")},
                  "dark",
                  1,
                  4,
                  "camera, size and filter agree",
                  ""},
        Situation{"flats that do not say their filter",
                  kLight,
                  {bias(), dark(), flat("")},
                  "dark",
                  1,
                  2,
                  "only one of the two headers gives the filter",
                  "is not known"},
        Situation{"neither says a filter",
                  lightWith([](Taken& taken) { taken.filter = ""; }),
                  {bias(), dark(), flat("")},
                  "dark",
                  1,
                  2,
                  "camera, size and filter agree",
                  ""},
        Situation{"the wrong night's flats",
                  kLight,
                  {bias(), dark(), with(flat(), [](Taken& taken) { taken.night = -12.0; })},
                  "dark",
                  1,
                  2,
                  "taken 12 days earlier",
                  "dust may have moved"},
        Situation{"tonight's flats before the wrong night's",
                  kLight,
                  {bias(),
                   dark(),
                   with(flat(), [](Taken& taken) { taken.night = -3.0; }),
                   with(flat(), [](Taken& taken) { taken.night = 0.3; })},
                  "dark",
                  1,
                  3,
                  "taken the same night",
                  ""},
        Situation{"flats with the camera turned",
                  lightWith([](Taken& taken) { taken.rotation = 30.0; }),
                  {bias(), dark(), with(flat(), [](Taken& taken) { taken.rotation = 120.0; })},
                  "dark",
                  1,
                  2,
                  "turned by 90°",
                  "do not lie where they did"},
        Situation{"flats of the right rotation first",
                  lightWith([](Taken& taken) { taken.rotation = 30.0; }),
                  {bias(),
                   dark(),
                   with(flat(), [](Taken& taken) { taken.rotation = 120.0; }),
                   with(flat(),
                        [](Taken& taken) {
                            taken.rotation = 30.5;
                            taken.night = 0.2;
                        })},
                  "dark",
                  1,
                  3,
                  "flat 3 s R",
                  ""},
        Situation{"saturated flats",
                  kLight,
                  {bias(), dark(), with(flat(), [](Taken& taken) { taken.level = 65000.0; })},
                  "dark",
                  1,
                  -1,
                  "",
                  "its level of 65000 ADU is saturated"},
        Situation{"faint flats",
                  kLight,
                  {bias(), dark(), with(flat(), [](Taken& taken) { taken.level = 900.0; })},
                  "dark",
                  1,
                  2,
                  "its level of 900 ADU is faint",
                  "Expose flats to a third"},
        Situation{"well exposed flats before faint ones",
                  kLight,
                  {bias(),
                   dark(),
                   with(flat(), [](Taken& taken) { taken.level = 900.0; }),
                   with(flat("R", 5.0), [](Taken& taken) { taken.level = 25000.0; })},
                  "dark",
                  1,
                  3,
                  "flat 5 s R",
                  ""},
        Situation{"two flats only",
                  kLight,
                  {bias(), dark(), with(flat(), [](Taken& taken) { taken.count = 2; })},
                  "dark",
                  1,
                  2,
                  "it has only 2 frame(s)",
                  "only 2 flat(s)"},
        Situation{"flats of other binning",
                  kLight,
                  {bias(), dark(), with(flat(), [](Taken& taken) { taken.binning = 2; })},
                  "dark",
                  1,
                  -1,
                  "",
                  "its binning is 2 x 2"},
        Situation{"another colour pattern",
                  lightWith([](Taken& taken) { taken.bayer = "RGGB"; }),
                  {bias(), dark(), with(flat(), [](Taken& taken) { taken.bayer = "GBRG"; })},
                  "dark",
                  1,
                  -1,
                  "",
                  "its colour pattern is 'GBRG', not 'RGGB'"},
        Situation{"flats without their pedestal",
                  kLight,
                  {dark(), flat()},
                  "dark",
                  0,
                  1,
                  "",
                  "Take biases"},
        Situation{"flat-darks before the bias",
                  kLight,
                  {bias(), dark(), flat(), {.kind = FrameKind::FlatDark, .exposure = 3.0}},
                  "dark",
                  1,
                  2,
                  "for the flats, flat-dark 3 s",
                  ""},
        Situation{"a dark of the flats' exposure serves as flat-dark",
                  kLight,
                  {bias(), dark(), flat("R", 20.0), dark(20.0)},
                  "dark",
                  1,
                  2,
                  "for the flats, dark 20 s",
                  ""},
        Situation{
            "long flats without flat-darks get a scaled dark",
            kLight,
            {bias(), dark(), flat("R", 20.0)},
            "dark",
            1,
            2,
            "for the flats, dark 60 s -10 °C gain 100, Brack M2, 100 x 80: no dark of 20 s fits",
            ""},
        Situation{"a ready flat needs no pedestal",
                  kLight,
                  {dark(),
                   with(flat(),
                        [](Taken& taken) {
                            taken.master = true;
                            taken.count = 1;
                        })},
                  "dark",
                  0,
                  1,
                  "master flat",
                  ""}));

std::vector<FrameGroup> groupsOf(const std::vector<Taken>& list) {
    std::vector<FrameInfo> frames;
    for (const Taken& taken : list) {
        const auto more = framesOf(taken);
        frames.insert(frames.end(), more.begin(), more.end());
    }
    return groupFrames(frames);
}

TEST(MatchOverrideTest, TheObserverHasTheLastWordAndHearsWhatItCosts) {
    const auto groups = groupsOf({kLight, bias(), dark(), dark(120.0), flat()});
    const auto of = [&](FrameKind kind, double exposure) {
        return std::find_if(groups.begin(), groups.end(), [&](const FrameGroup& g) {
            return g.example.kind == kind && g.example.exposureSeconds == exposure;
        });
    };
    const auto light = of(FrameKind::Light, 60.0);
    const auto longDark = of(FrameKind::Dark, 120.0);
    const std::vector<Override> said{{Role::Dark, longDark->id()}, {Role::Flat, ""}};
    const auto match = matchMasters(*light, groups, said);
    ASSERT_NE(match.feed(Role::Dark), nullptr);
    EXPECT_TRUE(match.feed(Role::Dark)->byHand);
    EXPECT_EQ(groups[match.feed(Role::Dark)->group].id(), longDark->id());
    EXPECT_EQ(match.feed(Role::Flat), nullptr);
    std::string warnings;
    for (const auto& warning : match.warnings) {
        warnings += warning + "\n";
    }
    EXPECT_NE(warnings.find("You chose dark 120 s"), std::string::npos) << warnings;
    EXPECT_NE(warnings.find("its exposure is 120 s, not 60 s"), std::string::npos) << warnings;
    EXPECT_NE(warnings.find("No flat is used, because you said so."), std::string::npos)
        << warnings;
}

TEST(MatchTest, EveryPassedOverDarkSaysWhatItWouldCost) {
    const auto groups = groupsOf({kLight,
                                  bias(),
                                  dark(),
                                  with(dark(), [](Taken& taken) { taken.night = -60.0; }),
                                  dark(120.0)});
    const auto light = std::find_if(groups.begin(), groups.end(), [](const FrameGroup& g) {
        return g.example.kind == FrameKind::Light;
    });
    const auto match = matchMasters(*light, groups);
    ASSERT_EQ(match.passedOver.size(), 2U);
    EXPECT_EQ(match.passedOver[0].objection(), nullptr);
    EXPECT_EQ(match.passedOver[0].dearest(), "it was taken 60 days earlier");
    ASSERT_NE(match.passedOver[1].objection(), nullptr);
    EXPECT_EQ(match.passedOver[1].objection()->name, "exposure");
}

TEST(GroupFramesTest, UnlikeFramesPart) {
    const auto groups = groupsOf({kLight,
                                  lightWith([](Taken& taken) { taken.temperature = -10.1; }),
                                  lightWith([](Taken& taken) { taken.filter = "V"; }),
                                  lightWith([](Taken& taken) { taken.exposure = 30.0; }),
                                  lightWith([](Taken& taken) { taken.width = 128; }),
                                  lightWith([](Taken& taken) { taken.night = 1.0; }),
                                  lightWith([](Taken& taken) { taken.mode = "fast"; })});
    // A read-out mode that is not said may be another: each has a group of its own.
    ASSERT_EQ(groups.size(), 6U);
    const auto most = std::max_element(
        groups.begin(), groups.end(), [](const FrameGroup& a, const FrameGroup& b) {
            return a.frames.size() < b.frames.size();
        });
    EXPECT_EQ(most->frames.size(), 10U);
}

TEST(GroupFramesTest, DarksOfAMonthMakeOneMaster) {
    const auto groups = groupsOf({dark(),
                                  with(dark(), [](Taken& taken) { taken.night = 20.0; }),
                                  with(dark(), [](Taken& taken) { taken.night = 90.0; })});
    ASSERT_EQ(groups.size(), 2U);
    EXPECT_EQ(groups.front().frames.size(), 20U);
}

} // namespace
} // namespace pathmark::calibrate
