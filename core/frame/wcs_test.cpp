#include "core/frame/wcs.h"

#include "core/frame/fits_file.h"
#include "tests/support/matchers.h"
#include "tests/support/temporary_folder.h"

#include <fitsio.h>
#include <fmt/format.h>
#include <gtest/gtest.h>
#include <wcshdr.h>
#include <wcslib.h>

#include <array>
#include <filesystem>
#include <random>
#include <string>

namespace pathmark::frame {
namespace {

/// A solution with 5 pixels of distortion at the corner of a 1536 x 1024 frame, turned and mirrored at will.
Wcs distorted(double turnDegrees, bool mirrored) {
    Wcs wcs;
    wcs.referenceSky = skyDegrees(166.62, 6.42);
    wcs.referencePixel = {767.5, 511.5};
    const double s = Angle::arcsec(1.05).radians();
    const double t = turnDegrees * kRadiansPerDegree;
    const double flip = mirrored ? 1.0 : -1.0;
    wcs.cd = {flip * s * std::cos(t), s * std::sin(t), -flip * s * std::sin(t), s * std::cos(t)};
    wcs.a = SipPolynomial(3);
    wcs.b = SipPolynomial(3);
    wcs.a.setCoefficient(2, 0, 3e-7);
    wcs.a.setCoefficient(3, 0, 6e-9);
    wcs.a.setCoefficient(1, 2, 6e-9);
    wcs.b.setCoefficient(1, 1, -4e-7);
    wcs.b.setCoefficient(2, 1, 6e-9);
    wcs.b.setCoefficient(0, 3, 6e-9);
    return wcs;
}

/// The header's cards as wcslib wants them: 80 characters each.
std::string cardsOf(const Header& header) {
    std::string text;
    for (const Card& card : header.cards()) {
        std::string line = fmt::format("{:<8}= ", card.keyword);
        if (const auto* words = std::get_if<std::string>(&card.value)) {
            line += fmt::format("'{:<8}'", *words);
        } else if (const auto* real = std::get_if<double>(&card.value)) {
            line += fmt::format("{:.17G}", *real);
        } else if (const auto* whole = std::get_if<long long>(&card.value)) {
            line += fmt::format("{}", *whole);
        }
        line.resize(80, ' ');
        text += line;
    }
    return text;
}

class WcsTest : public testing::TestWithParam<std::pair<double, bool>> {};

/// Truth: wcslib on the header that we write.
TEST_P(WcsTest, AgreesWithWcslib) {
    const Wcs wcs = distorted(GetParam().first, GetParam().second);
    Header header;
    writeWcs(wcs, header);
    // wcslib applies the forward SIP only; without the inverse it must be absent.
    for (const char* key : {"AP_ORDER", "BP_ORDER"}) {
        header.remove(key);
    }
    std::string cards = cardsOf(header);
    int rejected = 0;
    int count = 0;
    wcsprm* other = nullptr;
    ASSERT_EQ(wcspih(cards.data(),
                     static_cast<int>(cards.size() / 80),
                     WCSHDR_all,
                     0,
                     &rejected,
                     &count,
                     &other),
              0);
    ASSERT_EQ(count, 1);
    ASSERT_EQ(wcsset(other), 0);
    std::mt19937 random(5);
    std::uniform_real_distribution<double> x(0.0, 1535.0);
    std::uniform_real_distribution<double> y(0.0, 1023.0);
    for (int i = 0; i < 300; ++i) {
        const PixelPos pixel{x(random), y(random)};
        std::array<double, 2> place{pixel.x + 1.0, pixel.y + 1.0};
        std::array<double, 2> image{};
        std::array<double, 2> world{};
        double phi = 0.0;
        double theta = 0.0;
        int status = 0;
        ASSERT_EQ(
            wcsp2s(other, 1, 2, place.data(), image.data(), &phi, &theta, world.data(), &status),
            0);
        EXPECT_THAT(
            wcs.toSky(pixel),
            test_support::IsNearDirection(skyDegrees(world[0], world[1]), Angle::arcsec(1e-6)));
    }
    wcsvfree(&count, &other);
}

TEST_P(WcsTest, PixelsComeBackFromTheSky) {
    const Wcs wcs = distorted(GetParam().first, GetParam().second);
    for (double y = 0.0; y < 1024.0; y += 93.0) {
        for (double x = 0.0; x < 1536.0; x += 97.0) {
            const auto back = wcs.toPixel(wcs.toSky({x, y}));
            ASSERT_TRUE(back);
            EXPECT_NEAR(back->x, x, 1e-7);
            EXPECT_NEAR(back->y, y, 1e-7);
        }
    }
}

TEST_P(WcsTest, SurvivesAFile) {
    const test_support::TemporaryFolder folder;
    const Wcs wcs = distorted(GetParam().first, GetParam().second);
    Header header;
    writeWcs(wcs, header);
    ASSERT_TRUE(writeFitsHeader(folder / "a.wcs", header));
    const auto read = readFitsHeader(folder / "a.wcs");
    ASSERT_TRUE(read);
    const auto back = readWcs(*read);
    ASSERT_TRUE(back) << back.error().detail;
    EXPECT_THAT(back->toSky({11.0, 1000.0}),
                test_support::IsNearDirection(wcs.toSky({11.0, 1000.0}), Angle::arcsec(1e-6)));
    EXPECT_EQ(back->mirrored(), GetParam().second);
    EXPECT_NEAR(back->rotation().degrees(), GetParam().first, 1e-9);
}

INSTANTIATE_TEST_SUITE_P(Turns,
                         WcsTest,
                         testing::Values(std::pair{0.0, false},
                                         std::pair{181.4, false},
                                         std::pair{92.3, true}));

TEST(ReadWcsTest, AbsentAndImpossibleSolutionsAreRefused) {
    EXPECT_EQ(readWcs({}).error().id, ErrorId::FrameBadWcs);
    Header header;
    writeWcs(distorted(0.0, false), header);
    header.set("CTYPE1", std::string("GLON-TAN"));
    header.set("CTYPE2", std::string("GLAT-TAN"));
    EXPECT_EQ(readWcs(header).error().id, ErrorId::FrameBadWcs);
    header.set("CTYPE1", std::string("RA---QQQ"));
    header.set("CTYPE2", std::string("DEC--QQQ"));
    EXPECT_EQ(readWcs(header).error().id, ErrorId::FrameBadWcs);
}

struct Foreign {
    const char* type;
    bool sip;
    std::vector<std::pair<const char*, double>> parameters;
};

class ForeignWcsTest : public testing::TestWithParam<Foreign> {};

/// Truth: wcslib on the foreign header itself.
TEST_P(ForeignWcsTest, IsReadToAThousandthOfAPixel) {
    const auto& [type, sip, parameters] = GetParam();
    Header header;
    writeWcs(distorted(12.0, true), header);
    for (const char* prefix : {"A", "B", "AP", "BP"}) {
        header.remove(std::string(prefix) + "P_ORDER");
        if (!sip || std::string(prefix).size() == 2) {
            header.remove(std::string(prefix) + "_ORDER");
            for (int p = 0; p < 10; ++p) {
                for (int q = 0; q < 10; ++q) {
                    header.remove(fmt::format("{}_{}_{}", prefix, p, q));
                }
            }
        }
    }
    const std::string ending = sip ? "-SIP" : "";
    header.set("CTYPE1", fmt::format("RA---{}{}", type, ending));
    header.set("CTYPE2", fmt::format("DEC--{}{}", type, ending));
    for (const auto& [key, value] : parameters) {
        header.set(key, value);
    }
    const auto wcs = readWcs(header, 1536, 1024);
    ASSERT_TRUE(wcs) << wcs.error().detail;
    if (std::string_view(type) == "TAN") {
        header.set("CTYPE1", std::string("RA---TPV"));
        header.set("CTYPE2", std::string("DEC--TPV"));
    }
    std::string cards = cardsOf(header);
    int rejected = 0;
    int count = 0;
    wcsprm* other = nullptr;
    ASSERT_EQ(wcspih(cards.data(),
                     static_cast<int>(cards.size() / 80),
                     WCSHDR_all,
                     0,
                     &rejected,
                     &count,
                     &other),
              0);
    ASSERT_EQ(wcsset(other), 0);
    for (double y = 1.0; y < 1024.0; y += 101.0) {
        for (double x = 0.0; x < 1536.0; x += 111.0) {
            std::array<double, 2> place{x + 1.0, y + 1.0};
            std::array<double, 2> image{};
            std::array<double, 2> world{};
            double phi = 0.0;
            double theta = 0.0;
            int status = 0;
            ASSERT_EQ(
                wcsp2s(
                    other, 1, 2, place.data(), image.data(), &phi, &theta, world.data(), &status),
                0);
            EXPECT_THAT(wcs->toSky({x, y}),
                        test_support::IsNearDirection(skyDegrees(world[0], world[1]),
                                                      Angle::arcsec(1.05e-3)));
            const auto back = wcs->toPixel(skyDegrees(world[0], world[1]));
            ASSERT_TRUE(back);
            EXPECT_NEAR(back->x, x, 1e-3);
            EXPECT_NEAR(back->y, y, 1e-3);
        }
    }
    wcsvfree(&count, &other);
}

INSTANTIATE_TEST_SUITE_P(
    Projections,
    ForeignWcsTest,
    testing::Values(Foreign{"SIN", false, {}},
                    Foreign{"SIN", true, {}},
                    Foreign{"ARC", false, {}},
                    Foreign{"STG", false, {}},
                    Foreign{"ZEA", true, {}},
                    Foreign{"ZPN", false, {{"PV2_1", 1.0}, {"PV2_3", 40.0}, {"PV2_5", -300.0}}},
                    Foreign{"TPV",
                            false,
                            {{"PV1_1", 1.0},
                             {"PV1_4", 2e-3},
                             {"PV1_7", 8e-3},
                             {"PV2_1", 1.0},
                             {"PV2_5", 1e-3},
                             {"PV2_7", 8e-3}}},
                    Foreign{"TAN",
                            false,
                            {{"PV1_1", 1.0},
                             {"PV1_4", 2e-3},
                             {"PV1_7", 8e-3},
                             {"PV2_1", 1.0},
                             {"PV2_5", 1e-3},
                             {"PV2_7", 8e-3}}}));

/// Truth: a header that ended the program inside the library, found by made-up bytes: texts with quotes and ends that are none.
TEST(ReadWcsTest, AHostileHeaderEndsInAnAnswer) {
    const auto header = readFitsHeader(std::filesystem::path(PATHMARK_SOURCE_DIR) / "fuzz" /
                                       "seeds" / "wcs" / "found-d11c9e2b");
    ASSERT_TRUE(header) << header.error().detail;
    (void)readWcs(*header, 640, 480);
}

} // namespace
} // namespace pathmark::frame
