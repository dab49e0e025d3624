#include "simulate/odd_faults.h"

#include "core/frame/fits_file.h"
#include "simulate/night.h"
#include "tests/support/shell.h"
#include "tests/support/small_night.h"
#include "tests/support/temporary_folder.h"

#include <gtest/gtest.h>

#include <map>
#include <set>

namespace pathmark::simulate {
namespace {

namespace fs = std::filesystem;

/// A tiny night, and what its files were before anything was done to them.
class OddFaultsTest : public testing::Test {
  protected:
    void SetUp() override {
        ASSERT_TRUE(simulateNight(test_support::tinyScenario(), night(), {}));
        for (const auto& entry : fs::recursive_directory_iterator(night())) {
            if (entry.is_regular_file()) {
                before_[entry.path()] = entry.file_size();
            }
        }
    }

    [[nodiscard]] fs::path night() const { return folder_ / "night"; }

    [[nodiscard]] fs::path light(const std::string& name) const {
        return night() / "lights" / name;
    }

    [[nodiscard]] FaultDone done(OddFault fault) const {
        const auto result = doFaults({fault}, night(), 3);
        EXPECT_TRUE(result);
        EXPECT_EQ(result->size(), 1U);
        EXPECT_EQ(result->front().fault, fault);
        return result->front();
    }

    static frame::Header headerOf(const fs::path& path) {
        const auto header = frame::readFitsHeader(path);
        EXPECT_TRUE(header) << path;
        return header ? *header : frame::Header();
    }

    test_support::TemporaryFolder folder_;
    std::map<fs::path, std::uintmax_t> before_;
};

TEST_F(OddFaultsTest, AKeywordIsTakenOutOfOneLightAlone) {
    const FaultDone fault = done(OddFault::NoExposure);
    ASSERT_FALSE(fault.file.empty());
    EXPECT_TRUE(fault.mustBeSaid);
    for (const auto& [path, size] : before_) {
        if (path.parent_path().filename() == "lights") {
            const frame::Header header = headerOf(path);
            const bool has = header.number("EXPTIME") || header.number("EXPOSURE");
            EXPECT_EQ(has, path.filename() != fault.file) << path;
        }
        EXPECT_EQ(fs::file_size(path), size) << "a header keeps its blocks: " << path;
    }
}

TEST_F(OddFaultsTest, TimesAreTakenOutOrContradict) {
    const FaultDone none = done(OddFault::NoDate);
    EXPECT_TRUE(none.isUnusable);
    EXPECT_FALSE(headerOf(light(none.file)).text("DATE-OBS"));
    const FaultDone two = done(OddFault::TwoTimes);
    EXPECT_FALSE(two.isUnusable);
    EXPECT_NEAR(headerOf(light(two.file)).number("MJD-OBS").value_or(0.0), 58849.5, 1e-9);
}

TEST_F(OddFaultsTest, NoLightSaysWhereItLooks) {
    (void)done(OddFault::NoPointing);
    for (const auto& entry : fs::directory_iterator(night() / "lights")) {
        const frame::Header header = headerOf(entry.path());
        for (const char* key : {"RA", "DEC", "OBJCTRA", "OBJCTDEC"}) {
            EXPECT_FALSE(header.text(key)) << key;
            EXPECT_FALSE(header.number(key)) << key;
        }
    }
}

TEST_F(OddFaultsTest, AFileEndsEarly) {
    const FaultDone fault = done(OddFault::Truncated);
    EXPECT_TRUE(fault.isUnusable);
    EXPECT_LT(fs::file_size(light(fault.file)), before_.at(light(fault.file)));
    EXPECT_FALSE(frame::readFits(light(fault.file)));
}

TEST_F(OddFaultsTest, ALightLiesThereTwiceByteForByte) {
    const FaultDone fault = done(OddFault::Twice);
    const fs::path copy = night() / "lights" / "copies" / fault.file;
    ASSERT_TRUE(fs::exists(copy));
    const std::string first = fault.file.substr(std::string("again_").size());
    EXPECT_EQ(test_support::contentOf(copy), test_support::contentOf(light(first)));
}

TEST_F(OddFaultsTest, ATextHasTheNameOfAFrame) {
    const FaultDone fault = done(OddFault::NotFits);
    EXPECT_TRUE(fault.mustBeSaid);
    EXPECT_TRUE(fs::exists(light(fault.file)));
    EXPECT_FALSE(frame::readFitsHeader(light(fault.file)));
}

TEST_F(OddFaultsTest, DecoysStandBesideTheTrueCalibrations) {
    (void)done(OddFault::Decoys);
    int decoys = 0;
    for (const auto& entry : fs::directory_iterator(night() / "calibration")) {
        const std::string name = entry.path().filename().string();
        if (!name.starts_with("other_")) {
            EXPECT_EQ(entry.file_size(), before_.at(entry.path())) << "the true ones stay";
            continue;
        }
        ++decoys;
        const frame::Header other = headerOf(entry.path());
        const frame::Header own = headerOf(entry.path().parent_path() / name.substr(6));
        const bool isWarm = other.number("CCD-TEMP") != own.number("CCD-TEMP") ||
                            other.number("DET-TEMP") != own.number("DET-TEMP");
        const bool isOther = other.text("FILTER") != own.text("FILTER") ||
                             other.text("FILTNAM") != own.text("FILTNAM");
        EXPECT_TRUE(isWarm || isOther) << name;
    }
    EXPECT_EQ(decoys, 6) << "three darks and three flats";
}

/// No frame has two faults, two stay good, and the same seed does the same.
TEST_F(OddFaultsTest, EachFrameHasOneFaultAtMost) {
    const std::vector<OddFault> many{OddFault::NoExposure,
                                     OddFault::NoDate,
                                     OddFault::Truncated,
                                     OddFault::TwoTimes,
                                     OddFault::Twice};
    const auto faults = doFaults(many, night(), 11);
    ASSERT_TRUE(faults);
    std::set<std::string> named;
    int left = 0;
    for (const FaultDone& fault : *faults) {
        if (fault.file.empty()) {
            ++left; // of four lights two stay as they were
        } else {
            EXPECT_TRUE(named.insert(fault.file).second) << fault.file;
        }
    }
    EXPECT_EQ(named.size(), 2U);
    EXPECT_EQ(left, 3);
    fs::remove_all(night());
    ASSERT_TRUE(simulateNight(test_support::tinyScenario(), night(), {}));
    const auto again = doFaults(many, night(), 11);
    ASSERT_TRUE(again);
    for (std::size_t i = 0; i < faults->size(); ++i) {
        EXPECT_EQ((*again)[i].file, (*faults)[i].file);
    }
}

TEST(OddFaultWordsTest, EachHasItsOwn) {
    std::set<std::string> words;
    for (int i = 0; i < kOddFaults; ++i) {
        EXPECT_TRUE(words.insert(wordOf(static_cast<OddFault>(i))).second);
    }
}

} // namespace
} // namespace pathmark::simulate
