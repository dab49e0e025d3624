#include "desk/theme/theme.h"

#include <QApplication>

#include <gtest/gtest.h>

#include <cmath>

namespace pathmark::desk {
namespace {

/// Relative luminance and contrast as the Web Content Accessibility Guidelines 2.1 define them.
double luminance(const QColor& colour) {
    const auto linear = [](float part) {
        const auto c = static_cast<double>(part);
        return c <= 0.03928 ? c / 12.92 : std::pow((c + 0.055) / 1.055, 2.4);
    };
    return 0.2126 * linear(colour.redF()) + 0.7152 * linear(colour.greenF()) +
           0.0722 * linear(colour.blueF());
}

double contrast(const QColor& a, const QColor& b) {
    const auto [low, high] = std::minmax({luminance(a), luminance(b)});
    return (high + 0.05) / (low + 0.05);
}

class ThemeTest : public testing::TestWithParam<Theme> {
  protected:
    void SetUp() override { applyTheme(*qApp, GetParam()); }

    void TearDown() override { applyTheme(*qApp, Theme::Dark); }
};

/// Everything that words are written in can be read on both grounds.
TEST_P(ThemeTest, AllTextHasAContrastOfFourAndAHalf) {
    const Colours& c = colours();
    for (const QColor& ground : {c.ground, c.panel}) {
        for (const QColor& ink : {c.text, c.quiet, c.inHand, c.agreed, c.disagrees, c.predicted}) {
            EXPECT_GE(contrast(ink, ground), 4.5)
                << ink.name().toStdString() << " on " << ground.name().toStdString();
        }
    }
}

INSTANTIATE_TEST_SUITE_P(All, ThemeTest, testing::Values(Theme::Dark, Theme::Dome, Theme::Light));

} // namespace
} // namespace pathmark::desk
