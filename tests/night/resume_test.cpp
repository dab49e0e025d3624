#include "core/night/night_file.h"
#include "core/night/record_fields.h"
#include "core/night/record_json.h"
#include "core/night/run_night.h"
#include "core/night/settings_fields.h"
#include "core/night/steps/report_step.h"
#include "tests/support/report_files.h"
#include "tests/support/small_night.h"
#include "tests/support/temporary_folder.h"

#include <gtest/gtest.h>

#include <functional>
#include <random>
#include <set>

// A run over what an earlier one left: which products are made again, and that the reports are those of a fresh run.
namespace pathmark {
namespace {

namespace fs = std::filesystem;
using night::ProductKind;
using night::Recipe;
using test_support::reportsIn;
using test_support::TemporaryFolder;

using Kinds = std::set<ProductKind>;

const Kinds kAfterZeroPoint{
    ProductKind::Matches, ProductKind::Tracks, ProductKind::Stack, ProductKind::Measurements};

Kinds operator+(Kinds a, const Kinds& b) {
    a.insert(b.begin(), b.end());
    return a;
}

const Kinds kFromZeroPoint =
    Kinds{ProductKind::ZeroPoint, ProductKind::SkyBrightness} + kAfterZeroPoint;
const Kinds kFromSolution = Kinds{ProductKind::Solution} + kFromZeroPoint;
const Kinds kFromCalibrated = Kinds{ProductKind::Calibrated, ProductKind::Sources} + kFromSolution;

std::string wordsOf(const Kinds& kinds) {
    std::string words;
    for (const ProductKind kind : kinds) {
        words += std::string(night::name(kind)) + " ";
    }
    return words;
}

class ResumeTest : public testing::Test {
  protected:
    static void SetUpTestSuite() {
        shared_ = new TemporaryFolder;
        test_support::makeTinyNight(shared_->path() / "night");
        std::ofstream(shared_->path() / "night" / "equipment.toml") << "";
        std::ofstream(shared_->path() / "night" / "recipe.toml", std::ios::app)
            << "[equipment]\nfile = 'equipment.toml'\n";
    }

    static void TearDownTestSuite() {
        delete shared_;
        shared_ = nullptr;
    }

    void SetUp() override {
        fs::copy(shared_->path() / "night", night(), fs::copy_options::recursive);
    }

    [[nodiscard]] fs::path night() const { return own_ / "night"; }

    [[nodiscard]] Recipe recipe() const {
        const auto read = night::readRecipe(night() / "recipe.toml");
        EXPECT_TRUE(read) << read.error().detail;
        return read ? *read : Recipe();
    }

    void run(const Recipe& recipe, const fs::path& out) const {
        const auto done =
            night::runNight(recipe, {night(), night() / "recipe.toml", out, {}}, Job{});
        ASSERT_TRUE(done) << done.error().detail;
    }

    [[nodiscard]] static std::map<ProductKind, std::set<std::string>> keysIn(const fs::path& out) {
        std::map<ProductKind, std::set<std::string>> keys;
        const auto file = night::NightFile::open(out / "night.pmnight");
        EXPECT_TRUE(file);
        for (const auto& kind : night::kProductKinds) {
            for (const auto list = file->products(kind.kind).value(); const auto& product : list) {
                keys[kind.kind].insert(product.key);
            }
        }
        return keys;
    }

    /// The kinds of which the next run makes something that was not there; the results stay as they are.
    [[nodiscard]] Kinds madeAnew(const Recipe& recipe, const fs::path& out) const {
        const auto before = keysIn(out);
        const fs::path copy = own_ / "copy";
        fs::remove_all(copy);
        fs::copy(out, copy, fs::copy_options::recursive);
        run(recipe, copy);
        Kinds kinds;
        for (const auto& [kind, keys] : keysIn(copy)) {
            const auto known = before.find(kind);
            for (const std::string& key : keys) {
                if (known == before.end() || !known->second.contains(key)) {
                    kinds.insert(kind);
                }
            }
        }
        return kinds;
    }

    TemporaryFolder own_;

  private:
    static TemporaryFolder* shared_;
};

TemporaryFolder* ResumeTest::shared_ = nullptr;

/// Another value of a setting that a run can still be made with.
struct Changed {
    void operator()(bool& value) const { value = !value; }

    void operator()(int& value) const { value = value == 2 ? 3 : 2; }

    void operator()(double& value) const { value = value * 1.25 + 0.125; }

    void operator()(std::string& value) const { value += "X"; }

    void operator()(Angle& value) const { value = Angle::degrees(value.degrees() + 0.01); }

    void operator()(std::optional<double>& value) const { value = value ? *value * 1.25 : 3.5; }

    void operator()(std::optional<combine::Combination>& value) const {
        value = combine::Combination::Mean;
    }

    void operator()(night::WithoutFlats& value) const { value = night::WithoutFlats::Level; }

    void operator()(calibrate::Colour& value) const { value = calibrate::Colour::Green; }

    void operator()(measure::ComaCentroid& value) const { value = measure::ComaCentroid::Peak; }

    void operator()(std::vector<double>& value) const { value.push_back(45.0); }

    void operator()(std::vector<calibrate::ProtectedDisc>& value) const {
        value.push_back({{200.0, 150.0}, 40.0});
    }

    void operator()(std::optional<std::array<double, 2>>& value) const {
        value = std::array{0.85, -0.52};
    }
};

/// Truth: which steps receive which setting, by the table of steps, worked out by hand. Every setting of every step is changed
/// alone; the kinds that get new products are those of the steps that receive it and of all that follow, no others.
TEST_F(ResumeTest, ASettingMakesAnewExactlyWhatDependsOnIt) {
    const fs::path out = own_ / "out";
    const Recipe plain = recipe();
    run(plain, out);
    EXPECT_EQ(wordsOf(madeAnew(plain, out)), "") << "nothing changed";
    int settings = 0;
    const auto check = [&](const std::string& name, const Recipe& changed, const Kinds& expected) {
        ++settings;
        EXPECT_EQ(wordsOf(madeAnew(changed, out)), wordsOf(expected)) << name;
    };
    const auto each = [&](auto part, const std::function<Kinds(const std::string&)>& expected) {
        // `part` gives the settings of a recipe that one step receives.
        Recipe probe = plain;
        std::vector<std::string> names;
        forEachField(part(probe), [&](const char* name, auto&) { names.emplace_back(name); });
        for (const std::string& wanted : names) {
            Recipe changed = plain;
            bool skipped = false;
            forEachField(part(changed), [&](const char* name, auto& value) {
                using Value = std::remove_reference_t<decltype(value)>;
                if (wanted == name) {
                    if (wanted == "saturation") {
                        changed.calibration.saturationAdu = 50000.0;
                    } else if constexpr (std::is_invocable_v<Changed, Value&>) {
                        Changed()(value);
                    } else if constexpr (std::is_same_v<Value, night::GradientSettings>) {
                        value.removed = true;
                    } else {
                        skipped = true; // the library: where masters are kept changes none
                    }
                }
            });
            if (!skipped) {
                check(wanted, changed, expected(wanted));
            }
        }
    };
    const Kinds fromMasters = Kinds{ProductKind::Master} + kFromCalibrated;
    each([](Recipe& r) -> night::NoiseSettings& { return r.calibration; },
         [&](const std::string& name) {
             // Flats near saturation are left out of their master.
             return name == "saturation" ? fromMasters : kFromCalibrated;
         });
    each([](Recipe& r) -> night::MasterSettings& { return r.calibration; },
         [&](const std::string&) { return fromMasters; });
    each([](Recipe& r) -> night::BackgroundChoice& { return r.calibration; },
         [&](const std::string&) { return kFromCalibrated; });
    each([](Recipe& r) -> night::LightSettings& { return r.calibration; },
         [&](const std::string&) { return kFromCalibrated; });
    each([](Recipe& r) -> night::GradientSettings& { return r.calibration.gradient; },
         [&](const std::string&) { return kFromCalibrated; });
    each([](Recipe& r) -> night::CandidateSettings& { return r.candidates; },
         [&](const std::string& name) {
             return name == "search" ? Kinds{} : Kinds{ProductKind::Tracks};
         });
    each([](Recipe& r) -> night::MeasureSettings& { return r.measure; },
         [&](const std::string&) { return Kinds{ProductKind::Measurements}; });
    each([](Recipe& r) -> measure::CometOptions& { return r.measure.comet; },
         [&](const std::string&) { return Kinds{ProductKind::Measurements}; });
    each([](Recipe& r) -> frame::Site& { return r.site; },
         [&](const std::string& name) {
             // The code is a name; whoever stands elsewhere sees bodies elsewhere, and stacks on other motions.
             return name == "code" ? Kinds{ProductKind::Matches, ProductKind::Tracks}
                                   : kAfterZeroPoint;
         });
    Recipe groups = plain;
    groups.faintGroups = 2;
    check("faint groups", groups, {ProductKind::Stack, ProductKind::Measurements});
    EXPECT_GE(settings, 26);
}

struct Input {
    const char* what;
    std::function<void(const fs::path& night)> change;
    Kinds expected;
};

void overwrite(const fs::path& path, const std::string& bytes) {
    fs::remove(path);
    std::ofstream(path, std::ios::binary) << bytes;
}

/// Truth: as above, for what a run is handed instead of told.
TEST_F(ResumeTest, AnInputMakesAnewExactlyWhatDependsOnIt) {
    const auto equipment = [](const std::string& text) {
        return [text](const fs::path& folder) { std::ofstream(folder / "equipment.toml") << text; };
    };
    const std::string camera = "[[camera]]\nname = 'Brack S1'\n";
    const std::vector<Input> inputs{
        {"clock offset",
         equipment(camera + "clock_offset_s = 12.5\n"),
         // Stars and bodies move with time; pixels and sources do not.
         kFromSolution},
        // A body is exposed when its row is: where it is foretold and what it moved meanwhile.
        {"row delay",
         equipment(camera + "row_delay_s = 1e-4\n"),
         {ProductKind::Matches,
          ProductKind::Tracks,
          ProductKind::Stack,
          ProductKind::Measurements}},
        // The gain stands in the header of a master as well.
        {"gain",
         equipment(camera + "gain_e_per_adu = 0.9\n"),
         Kinds{ProductKind::Master} + kFromCalibrated},
        {"filter",
         equipment("[header.filters]\nB = ['R']\n"),
         Kinds{ProductKind::Master} + kFromCalibrated},
        // 60 ms for 60 s: another middle of each exposure, and darks, dark scale and flats of another length.
        {"exposure",
         equipment("[header.exposure]\nkeywords = ['EXPTIME [ms]']\n"),
         Kinds{ProductKind::Master} + kFromCalibrated},
        // One plane of a mosaic is a frame of a quarter of the pixels.
        {"Bayer",
         equipment(camera + "bayer = 'RGGB'\n"),
         Kinds{ProductKind::Master, ProductKind::Noise} + kFromCalibrated},
        {"a light",
         [](const fs::path& f) {
             std::string bytes = test_support::contentOf(f / "lights" / "east_001.fits");
             char& low = bytes[bytes.size() / 2 + 1]; // the low byte of a pixel
             low = static_cast<char>(low ^ 1);
             overwrite(f / "lights" / "east_001.fits", bytes);
         },
         kFromCalibrated},
        {"a flat",
         [](const fs::path& f) {
             for (const auto& entry : fs::recursive_directory_iterator(f / "calibration")) {
                 if (entry.path().filename().string().find("flat") != std::string::npos &&
                     entry.is_regular_file()) {
                     std::string bytes = test_support::contentOf(entry.path());
                     bytes[bytes.size() - 3000] = static_cast<char>(bytes[bytes.size() - 3000] ^ 1);
                     overwrite(entry.path(), bytes);
                     return;
                 }
             }
             FAIL() << "no flat";
         },
         Kinds{ProductKind::Master, ProductKind::Noise} + kFromCalibrated},
        {"the catalogue",
         [](const fs::path& f) {
             std::ofstream(f / "catalog" / "stars.csv", std::ios::app)
                 << "1,10.0,10.0,0.1,0.1,0.0,0.0,0.0,15.0,15.5,14.5,1.0,2016.0\n";
             ASSERT_TRUE(
                 catalog::importTables({f / "catalog" / "stars.csv"}, f / "catalog", "small", {}));
         },
         kFromSolution},
        {"the orbits",
         [](const fs::path& f) {
             std::ofstream(f / "orbits" / "minor-planets.txt", std::ios::app) << "\n";
         },
         {ProductKind::Matches, ProductKind::Tracks}},
    };
    for (const Input& input : inputs) {
        const fs::path folder = own_ / "changed";
        fs::remove_all(folder);
        fs::copy(night(), folder, fs::copy_options::recursive);
        const fs::path out = own_ / "results";
        fs::remove_all(out);
        const auto again = [&] {
            const auto read = night::readRecipe(folder / "recipe.toml");
            ASSERT_TRUE(read) << input.what << ": " << read.error().detail;
            const auto done =
                night::runNight(*read, {folder, folder / "recipe.toml", out, {}}, Job{});
            ASSERT_TRUE(done) << input.what << ": " << done.error().detail;
        };
        again();
        const auto before = keysIn(out);
        input.change(folder);
        again();
        Kinds made;
        for (const auto& [kind, keys] : keysIn(out)) {
            for (const std::string& key : keys) {
                const auto known = before.find(kind);
                if (known == before.end() || !known->second.contains(key)) {
                    made.insert(kind);
                }
            }
        }
        EXPECT_EQ(wordsOf(made), wordsOf(input.expected)) << input.what;
    }
}

/// Truth: a fresh run with the same settings. Every report is the same to the byte, whatever was set before; 12 pairs here,
/// as many as PATHMARK_PAIRS says where it is set.
TEST_F(ResumeTest, ResumingOverAnyChangeEndsAsAFreshRun) {
    const char* wish = std::getenv("PATHMARK_PAIRS");
    const int pairs = wish == nullptr ? 12 : std::atoi(wish);
    std::mt19937 random(17);
    const fs::path out = own_ / "out";
    Recipe current = recipe();
    run(current, out);
    const auto either = [&](double a, double b) { return random() % 2 == 0 ? a : b; };
    for (int pair = 0; pair < pairs; ++pair) {
        switch (random() % 10) {
        case 0: current.stackGroups = static_cast<int>(random() % 3); break;
        case 1: current.faintGroups = static_cast<int>(random() % 4); break;
        case 2: current.measure.searchArcsec = either(3.0, 5.0); break;
        case 3: current.calibration.electronsPerAdu = either(0.8, 0.83); break;
        case 4: current.calibration.masksHits = !current.calibration.masksHits; break;
        case 5: current.candidates.search = !current.candidates.search; break;
        case 6: current.candidates.fastestArcsecPerMin = either(6.0, 8.0); break;
        case 7:
            current.calibration.combination =
                random() % 2 == 0 ? std::optional(combine::Combination::Median) : std::nullopt;
            break;
        case 8:
            current.exclusions.clear();
            if (random() % 2 == 0) {
                current.exclusions.push_back({night::Quality::Fwhm, true, either(0.99, 1.1), true});
            }
            break;
        default:
            current.formats = random() % 2 == 0 ? std::vector<std::string>{"psv"}
                                                : std::vector<std::string>{"psv", "xml", "80"};
        }
        run(current, out);
        const fs::path fresh = own_ / "fresh";
        fs::remove_all(fresh);
        run(current, fresh);
        ASSERT_EQ(reportsIn(out), reportsIn(fresh)) << "pair " << pair;
    }
}

/// A night that is moved as a whole opens with its decisions and results, and nothing of it is done again.
TEST_F(ResumeTest, AMovedNightGoesOnWhereItWas) {
    run(recipe(), night() / "results");
    std::string kept;
    {
        auto file = night::NightFile::open(night() / "results" / "night.pmnight");
        for (const auto list = file->measurements().value(); const auto& m : list) {
            kept = m.seen ? m.id : kept;
        }
        ASSERT_TRUE(file->decide(
            {"dropped",
             {night::JudgeMeasurement{kept, night::MeasurementState::Dropped, "moved"}}}));
    }
    const fs::path moved = own_ / "another name";
    fs::rename(night(), moved);
    const auto file = night::NightFile::open(moved / "results" / "night.pmnight");
    ASSERT_TRUE(file);
    for (const auto list = file->lights().value(); const auto& light : list) {
        EXPECT_TRUE(fs::exists(light.raw)) << light.raw;
        EXPECT_TRUE(fs::exists(light.calibrated)) << light.calibrated;
    }
    const auto before = keysIn(moved / "results");
    std::map<fs::path, fs::file_time_type> written;
    for (const auto& entry : fs::recursive_directory_iterator(moved / "results")) {
        if (entry.path().extension() == ".fits") {
            written[entry.path()] = fs::last_write_time(entry.path());
        }
    }
    const auto again = night::readRecipe(moved / "recipe.toml");
    ASSERT_TRUE(again);
    ASSERT_TRUE(
        night::runNight(*again, {moved, moved / "recipe.toml", moved / "results", {}}, Job{}));
    EXPECT_EQ(keysIn(moved / "results"), before);
    for (const auto& [path, time] : written) {
        EXPECT_EQ(fs::last_write_time(path), time) << path;
    }
    bool found = false;
    for (const auto list = file->measurements().value(); const auto& m : list) {
        found = found || (m.id == kept && m.state == night::MeasurementState::Dropped);
    }
    EXPECT_TRUE(found);
}

/// `calibrate` and `run` make the same frames, and neither undoes the other's work.
TEST_F(ResumeTest, CalibrateAndRunShareTheirProducts) {
    const fs::path out = own_ / "out";
    test_support::Ended ended = test_support::runCommand(
        fmt::format("calibrate '{}' --out '{}'", night().string(), out.string()), own_);
    ASSERT_EQ(ended.status, 0) << ended.errors;
    const auto calibrated = keysIn(out).at(ProductKind::Calibrated);
    run(recipe(), out);
    EXPECT_EQ(keysIn(out).at(ProductKind::Calibrated), calibrated);
    const auto header = frame::readFitsHeader(out / "calibrated" / "east_001.fits");
    ASSERT_TRUE(header);
    EXPECT_TRUE(header->find("CTYPE1") != nullptr) << "the solution is in the header";
    const auto solved = fs::last_write_time(out / "calibrated" / "east_001.fits");
    ended = test_support::runCommand(
        fmt::format("calibrate '{}' --out '{}'", night().string(), out.string()), own_);
    ASSERT_EQ(ended.status, 0) << ended.errors;
    EXPECT_EQ(fs::last_write_time(out / "calibrated" / "east_001.fits"), solved);
}

/// A frame left out is still there after the next run, hatched by its mark, and comes back whole; undo takes back that frame
/// and no other.
TEST_F(ResumeTest, AFrameLeftOutStaysInSightAndComesBack) {
    const fs::path out = own_ / "out";
    run(recipe(), out);
    const auto whole = reportsIn(out);
    auto file = night::NightFile::open(out / "night.pmnight");
    const auto lights = file->lights().value();
    ASSERT_EQ(lights.size(), 4U);
    ASSERT_TRUE(file->decide({"leave out", {night::LeaveOut{lights[1].frame, true, ""}}}));
    run(recipe(), out);
    const auto after = file->lights().value();
    ASSERT_EQ(after.size(), 4U);
    EXPECT_EQ(after[1].frame, lights[1].frame);
    EXPECT_EQ(after[1].leftOutBy, "by hand");
    EXPECT_TRUE(after[1].solved()) << "as it was when it was last made";
    for (const auto list = file->measurements().value(); const auto& m : list) {
        EXPECT_NE(m.frame, lights[1].frame);
    }
    ASSERT_EQ(file->undo().value().size(), 1U);
    run(recipe(), out);
    EXPECT_EQ(reportsIn(out), whole);
}

/// What is decided of a night, as one text.
std::string decidedText(const night::NightFile& file) {
    std::string text;
    const auto decided = file.decided().value();
    for (const auto& [frame, rule] : decided.leftOut) {
        text += "out " + frame.text() + " " + rule + "\n";
    }
    for (const auto& [id, judged] : decided.measurements) {
        text += "measurement " + id + " " + name(*judged.state) + " " + judged.reason + "\n";
    }
    for (const auto& [frame, kind] : decided.kinds) {
        text += "kind " + frame.text() + " " + frame::name(kind) + "\n";
    }
    for (const auto& [series, list] : decided.masters) {
        for (const auto& one : list) {
            text +=
                "master " + series.text() + " " + name(one.role) + " " + one.group.text() + "\n";
        }
    }
    for (const auto& [frame, fit] : decided.handFits) {
        text += "fit " + frame.text() + " " + night::record_json::write(fit.wcs).dump() + "\n";
    }
    for (const std::string& observation : decided.observationsOff) {
        text += "off " + observation + "\n";
    }
    return text;
}

std::string measurementsText(const night::NightFile& file) {
    std::string text;
    for (const auto list = file.measurements().value(); const auto& m : list) {
        text += m.id + " " + m.body.text() + " " + name(m.state) + " " + m.reason + "\n";
    }
    return text;
}

/// 500 random decisions with reruns, restarts, undo and redo in between.
///
/// Truth: another copy of the night, in which only the acts that are in force at the end were ever decided.
TEST_F(ResumeTest, AnyHistoryEndsAsItsDecisionsInForceAlone) {
    const fs::path out = own_ / "out";
    const Recipe plain = recipe();
    run(plain, out);
    fs::copy(out, own_ / "other", fs::copy_options::recursive);
    std::mt19937 random(23);
    auto file = night::NightFile::open(out / "night.pmnight");
    ASSERT_TRUE(file);
    const auto lights = file->lights().value();
    const auto frames = file->frames().value();
    const auto seriesOf = file->seriesOfFrames().value();
    const auto made = file->madeMeasurements().value();
    std::vector<night::Act> inForce;
    std::vector<night::Act> undone;
    int reruns = 0;
    for (int i = 0; i < 500; ++i) {
        const auto& light = lights[random() % lights.size()];
        night::Act act{"act " + std::to_string(i), {}};
        switch (random() % 9) {
        case 0:
            // Never all of them: a night without lights is no night.
            act.decisions = {night::LeaveOut{lights[random() % 2].frame, random() % 2 == 0, "fog"}};
            break;
        case 1:
        case 2:
            act.decisions = {
                night::JudgeMeasurement{made[random() % made.size()].id,
                                        static_cast<night::MeasurementState>(random() % 3),
                                        "reason " + std::to_string(i)}};
            break;
        case 3:
            act.decisions = {night::ChooseMaster{seriesOf.at(light.frame),
                                                 calibrate::Role::Flat,
                                                 random() % 2 == 0,
                                                 night::SeriesId()}};
            break;
        case 4: {
            // A dark may be taken for a bias and back.
            const auto& info = frames[random() % frames.size()];
            if (info.kind == frame::FrameKind::Dark) {
                act.decisions = {night::SetKind{
                    info.id,
                    random() % 2 == 0 ? std::optional(frame::FrameKind::Bias) : std::nullopt}};
            }
            break;
        }
        case 5:
            act.decisions = {night::FitByHand{
                light.frame, random() % 2 == 0 ? light.wcs : std::nullopt, {lights[0].frame}}};
            break;
        case 6:
            act.decisions = {
                night::SwitchObservation{"o" + std::to_string(random() % 5), random() % 2 == 0}};
            break;
        case 7: {
            const auto acts = file->undo(1 + static_cast<int>(random() % 3));
            ASSERT_TRUE(acts);
            for (std::size_t k = 0; k < acts->size(); ++k) {
                undone.push_back(inForce.back());
                inForce.pop_back();
            }
            break;
        }
        default: {
            const auto acts = file->redo(1);
            ASSERT_TRUE(acts);
            for (std::size_t k = 0; k < acts->size(); ++k) {
                inForce.push_back(undone.back());
                undone.pop_back();
            }
        }
        }
        if (!act.decisions.empty()) {
            ASSERT_TRUE(file->decide(act));
            inForce.push_back(act);
            undone.clear();
        }
        if (random() % 50 == 0) {
            file = night::NightFile::open(out / "night.pmnight"); // a restart
            ASSERT_TRUE(file);
        }
        if (random() % 60 == 0) {
            run(plain, out);
            ++reruns;
        }
    }
    EXPECT_GT(reruns, 3);
    auto other = night::NightFile::open(own_ / "other" / "night.pmnight");
    ASSERT_TRUE(other);
    for (const night::Act& act : inForce) {
        ASSERT_TRUE(other->decide(act));
    }
    run(plain, out);
    run(plain, own_ / "other");
    EXPECT_EQ(decidedText(*file), decidedText(*other));
    EXPECT_EQ(measurementsText(*file), measurementsText(*other));
    EXPECT_FALSE(decidedText(*file).empty());
    // What a frame that is left out was last seen to be depends on when; back in, it is as in the other night.
    night::Act back{"back in", {}};
    for (const auto decided = file->decided().value();
         const auto& [frame, rule] : decided.leftOut) {
        back.decisions.emplace_back(night::LeaveOut{frame, false, {}});
    }
    ASSERT_TRUE(file->decide(back));
    ASSERT_TRUE(other->decide(back));
    run(plain, out);
    run(plain, own_ / "other");
    EXPECT_EQ(reportsIn(out), reportsIn(own_ / "other"));
}

} // namespace
} // namespace pathmark
