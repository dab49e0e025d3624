#include "core/night/night_file.h"
#include "core/night/record_fields.h"
#include "core/night/record_json.h"
#include "core/night/settings_fields.h"
#include "tests/support/random_record.h"
#include "tests/support/temporary_folder.h"

#include <gtest/gtest.h>

namespace pathmark::night {
namespace {

using test_support::memberCount;
using test_support::RandomRecord;
using test_support::TemporaryFolder;

template <typename T>
class RecordTest : public testing::Test {};

using Records = testing::Types<frame::FrameInfo,
                               frame::Site,
                               frame::Derived,
                               frame::PixelSample,
                               detect::Moffat,
                               solve::SolveAttempt,
                               solve::SolutionError,
                               solve::PhotometricMatch,
                               TakenPart,
                               CalibratedPart,
                               SourcesPart,
                               SolutionPart,
                               ZeroPointPart,
                               LightKeys,
                               MeasurementRecord,
                               PredictionRecord,
                               PredictionRecord::Match,
                               TrackRecord,
                               TrackRecord::Member,
                               SweepWish,
                               SweptBody,
                               RefusedLight,
                               SweepRecord,
                               calibrate::ProtectedDisc,
                               GradientSettings,
                               NoiseSettings,
                               MasterSettings,
                               BackgroundChoice,
                               LightSettings,
                               measure::CometOptions,
                               CandidateSettings,
                               MeasureSettings>;

// The names of types say more than their numbers.
TYPED_TEST_SUITE(RecordTest, Records, );

/// Truth: the number of members that the compiler counts. A member that is not listed would be lost without a word.
TYPED_TEST(RecordTest, EveryMemberIsListed) {
    constexpr std::size_t listed = std::tuple_size_v<decltype(FieldsOf<TypeParam>::list)>;
    EXPECT_EQ(memberCount<TypeParam>(), listed);
}

/// There and back through text, 50 draws: what is written again is what was written, and every field took part.
TYPED_TEST(RecordTest, ComesBackWhole) {
    for (unsigned seed = 1; seed <= 50; ++seed) {
        const auto record = RandomRecord(seed).make<TypeParam>();
        const std::string text = record_json::write(record).dump(
            -1, ' ', false, nlohmann::json::error_handler_t::strict);
        const auto again = record_json::read<TypeParam>(nlohmann::json::parse(text));
        EXPECT_EQ(record_json::write(again).dump(), text) << seed;
    }
}

/// Each field alone changes what is written: no two share a name, and none is left out.
TYPED_TEST(RecordTest, EachFieldIsWrittenUnderItsOwnName) {
    TypeParam record{};
    const auto before = record_json::write(record);
    std::size_t fields = 0;
    forEachField(record, [&](const char* name, auto&) {
        ++fields;
        EXPECT_TRUE(before.contains(name)) << name;
    });
    EXPECT_EQ(before.size(), fields);
}

TEST(NightFileRecordsTest, LightsPredictionsTracksAndMeasurementsComeBackFromTheFile) {
    const TemporaryFolder folder;
    RandomRecord random(7);
    std::vector<LightRecord> lights(3);
    std::vector<PredictionRecord> predictions(3);
    std::vector<TrackRecord> tracks(3);
    std::vector<MeasurementRecord> measurements(3);
    std::vector<frame::FrameInfo> frames(3);
    for (std::size_t i = 0; i < 3; ++i) {
        random.fill(lights[i]);
        random.fill(predictions[i]);
        random.fill(tracks[i]);
        random.fill(measurements[i]);
        random.fill(frames[i]);
        frames[i].path = "/n/" + std::to_string(i) + ".fits";
    }
    {
        auto file = NightFile::open(folder / "n.pmnight");
        ASSERT_TRUE(file->replaceLights(lights));
        ASSERT_TRUE(file->replacePredictions(predictions));
        ASSERT_TRUE(file->replaceTracks(tracks));
        ASSERT_TRUE(file->replaceMeasurements(measurements));
        ASSERT_TRUE(file->replaceFrames(frames, {}));
    }
    const auto file = NightFile::open(folder / "n.pmnight");
    const auto same = [](const auto& a, const auto& b) {
        ASSERT_EQ(a.size(), b.size());
        for (std::size_t i = 0; i < a.size(); ++i) {
            EXPECT_EQ(record_json::write(a[i]), record_json::write(b[i])) << i;
        }
    };
    same(file->lights().value(), lights);
    same(file->predictions().value(), predictions);
    same(file->tracks().value(), tracks);
    same(file->measurements().value(), measurements);
    same(file->frames().value(), frames);
}

/// An older or a younger program's record has fewer or more fields: what is missing keeps its default.
TEST(RecordJsonTest, MissingFieldsKeepTheirDefaultsAndUnknownOnesAreNoMatter) {
    const auto m = record_json::read<MeasurementRecord>(
        nlohmann::json{{"id", "abc"}, {"of another version", 7}});
    EXPECT_EQ(m.id, "abc");
    EXPECT_EQ(m.frames, 1);
    EXPECT_EQ(m.state, MeasurementState::Kept);
}

TEST(RecordJsonTest, AWordThatIsNoStateIsDamage) {
    EXPECT_THROW(record_json::read<MeasurementRecord>(nlohmann::json{{"state", "kepd"}}),
                 std::invalid_argument);
}

/// NaN has no number in JSON; it is null, and NaN again.
TEST(RecordJsonTest, WhatIsNoNumberStaysNone) {
    PredictionRecord::Match match;
    match.chance = std::nan("");
    const auto again = record_json::read<PredictionRecord::Match>(record_json::write(match));
    EXPECT_TRUE(std::isnan(again.chance));
}

} // namespace
} // namespace pathmark::night
