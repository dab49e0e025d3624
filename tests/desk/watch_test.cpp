#include "desk/bodies/bodies_list.h"
#include "tests/support/small_night.h"
#include "tests/support/window_test.h"

#include <QSignalSpy>

#include <gtest/gtest.h>

#include <filesystem>

namespace pathmark::desk {
namespace {

namespace fs = std::filesystem;

/// A night whose lights land while the window watches its folder.
class WatchWindowTest : public test_support::WindowTest {
  protected:
    void SetUp() override {
        test_support::makeTinyNight(folder.path() / "made");
        fs::create_directories(folder.path() / "night");
        for (const char* part : {"calibration", "catalog", "orbits"}) {
            fs::copy(folder.path() / "made" / part,
                     folder.path() / "night" / part,
                     fs::copy_options::recursive);
        }
        fs::copy(folder.path() / "made" / "recipe.toml", folder.path() / "night" / "recipe.toml");
        fs::copy(folder.path() / "made" / "past-observations.txt",
                 folder.path() / "night" / "past-observations.txt");
        fs::create_directories(folder.path() / "night" / "lights");
        for (const auto& entry : fs::directory_iterator(folder.path() / "made" / "lights")) {
            lights_.push_back(entry.path());
        }
        std::sort(lights_.begin(), lights_.end());
        showWindow();
        window.openNight(QString::fromStdString((folder.path() / "night").string()));
        ASSERT_TRUE(waitFor([&] { return session.night() != nullptr; }));
    }

    /// As a camera's program does: under another name first.
    void land(std::size_t light) const {
        const fs::path target = folder.path() / "night" / "lights" / lights_[light].filename();
        fs::copy_file(lights_[light], target.string() + ".part");
        fs::rename(target.string() + ".part", target);
    }

    [[nodiscard]] bool showsMarked(std::size_t lights) const {
        const NightSnapshot* night = session.night();
        return night->lights.size() == lights && night->lights[lights - 1].solved() &&
               !night->predictions->empty();
    }

    std::vector<fs::path> lights_;
    NightSession& session = window.session();
};

/// By the keyboard: each frame that lands is shown with its marks, what is new is said, and a second press ends the watch.
TEST_F(WatchWindowTest, FramesAreTakenInAsTheyLand) {
    QSignalSpy news(&session, &NightSession::newsTold);
    EXPECT_TRUE(session.night()->lights.empty());
    press(Qt::Key_W, Qt::ControlModifier);
    ASSERT_TRUE(session.isWatching());
    for (std::size_t i = 0; i < lights_.size(); ++i) {
        land(i);
        ASSERT_TRUE(waitFor([&] { return showsMarked(i + 1); })) << i;
        EXPECT_EQ(session.currentFrame(), static_cast<int>(i)) << "the newest is shown";
    }
    ASSERT_TRUE(waitFor([&] { return !session.night()->made->empty(); }));
    EXPECT_TRUE(std::any_of(news.begin(), news.end(), [](const QList<QVariant>& told) {
        return told.front().toString().contains("(2711043): seen");
    }));
    press(Qt::Key_W, Qt::ControlModifier);
    EXPECT_TRUE(waitFor([&] { return !session.isRunning(); }));
    EXPECT_FALSE(session.isWatching());
}

} // namespace
} // namespace pathmark::desk
