#pragma once

#include "core/night/run_night.h"
#include "tests/support/small_night.h"
#include "tests/support/window_test.h"

#include <filesystem>

namespace pathmark::test_support {

/// A small night that has been run once for all tests of a suite, to be opened in the window.
class SmallNightWindowTest : public WindowTest {
  protected:
    static void SetUpTestSuite() {
        folder_ = new TemporaryFolder;
        makeSmallNight(night());
        summary_ =
            night::runNight({night(), night() / "recipe.toml", night() / "results", {}}, Job{});
    }

    static void TearDownTestSuite() {
        delete folder_;
        folder_ = nullptr;
    }

    void SetUp() override { ASSERT_TRUE(summary_) << summary_.error().detail; }

    void open(const std::filesystem::path& what) {
        showWindow();
        window.openNight(QString::fromStdString(what.string()));
        ASSERT_TRUE(waitFor([&] { return window.session().night() != nullptr; }));
    }

    static std::filesystem::path night() { return folder_->path() / "night"; }

  private:
    inline static TemporaryFolder* folder_ = nullptr;
    inline static Result<night::RunSummary> summary_;
};

} // namespace pathmark::test_support
