#include "core/night/hand_measurements.h"
#include "core/night/run_night.h"
#include "tests/support/shell.h"
#include "tests/support/small_night.h"
#include "tests/support/window_test.h"

#include <QLabel>
#include <QPushButton>

#include <gtest/gtest.h>
#include <nlohmann/json.hpp>

#include <algorithm>

namespace pathmark::desk {
namespace {

constexpr const char* kHandComet = "C/2034 E4";

simulate::Scenario cometScenario() {
    simulate::Scenario s = test_support::smallScenario();
    s.extraOrbits = 5;
    s.series.resize(1);
    s.bodies = {test_support::smallComet(15.5)};
    return s;
}

class ComaByHandTest : public test_support::WindowTest {
  protected:
    void SetUp() override {
        test_support::makeNight(night(), cometScenario());
        const auto run =
            night::runNight({night(), night() / "recipe.toml", night() / "results", {}}, Job{});
        ASSERT_TRUE(run) << run.error().detail;
        showWindow();
        window.openNight(QString::fromStdString(night().string()));
        ASSERT_TRUE(waitFor([&] { return window.session().night() != nullptr; }));
        window.session().setBody(night::BodyId::of(kHandComet));
    }

    [[nodiscard]] std::filesystem::path night() const { return folder.path() / "night"; }

    [[nodiscard]] QString title() { return find<QLabel>("growthTitle")->text(); }

    /// What the frames were made with on the frame in hand.
    [[nodiscard]] SkyPos truth() {
        const auto made = nlohmann::json::parse(test_support::contentOf(night() / "truth.json"));
        const std::string name = window.session().currentLight()->raw.filename().string();
        for (const auto& frame : made.at("frames")) {
            if (frame.at("file").get<std::string>().ends_with(name)) {
                const auto& body = frame.at("bodies").at(kHandComet);
                return skyDegrees(body.at("ra").get<double>(), body.at("dec").get<double>());
            }
        }
        ADD_FAILURE() << name << " is not in the truth";
        return {};
    }
};

/// A comet that is followed begins as a coma, is measured as one, and is kept with its light. Truth: the places of the scenario.
TEST_F(ComaByHandTest, ACometIsMeasuredAsOne) {
    press(Qt::Key_6);
    press(Qt::Key_W);
    press(Qt::Key_W, Qt::ShiftModifier);
    auto* keep = find<QPushButton>("growthKeep");
    ASSERT_TRUE(waitFor([&] { return keep->isEnabled(); })) << title().toStdString();
    EXPECT_TRUE(title().contains("coma")) << title().toStdString();
    EXPECT_TRUE(find<QLabel>("growthWords")->text().contains("Coma: "));
    press(Qt::Key_Return);
    const auto& byHand = window.session().night()->decided->byHand;
    ASSERT_EQ(byHand.size(), 1U);
    const auto& kept = byHand.begin()->second;
    EXPECT_EQ(kept.model, night::HandModel::Coma);
    ASSERT_TRUE(kept.record && kept.record->coma);
    EXPECT_EQ(kept.record->coma->apertures.size(), 5U);
    const PlanePos off = toTangentPlane(truth(), kept.record->sky);
    EXPECT_LT(std::abs(Angle::radians(off.xi).arcsec()), 4.0 * kept.record->raErrorArcsec);
    EXPECT_LT(std::abs(Angle::radians(off.eta).arcsec()), 4.0 * kept.record->decErrorArcsec);
    // A run measures it again as what it was kept as.
    const auto again = night::measuredAgain(kept, *window.session().currentLight(), nullptr);
    ASSERT_TRUE(again) << again.error().detail;
    EXPECT_TRUE(again->coma);
    press(Qt::Key_E); // a light
    EXPECT_TRUE(waitFor([&] { return title().startsWith("The light") && keep->isEnabled(); }))
        << title().toStdString();
    press(Qt::Key_E); // the very place
    EXPECT_TRUE(waitFor([&] { return title().startsWith("The very place"); }));
    window.session().finishStoring();
}

} // namespace
} // namespace pathmark::desk
