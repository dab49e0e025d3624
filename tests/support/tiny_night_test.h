#pragma once

#include "tests/support/small_night.h"
#include "tests/support/temporary_folder.h"

#include <filesystem>
#include <fstream>
#include <string>

namespace pathmark::test_support {

/// A tiny night, made once for a suite; each test has a copy of its own to change.
class TinyNightTest : public testing::Test {
  protected:
    void SetUp() override { makeTinyNight(night()); }

    [[nodiscard]] std::filesystem::path night() const { return own_ / "night"; }

    [[nodiscard]] std::filesystem::path light(const std::string& stem) const {
        return night() / "lights" / (stem + ".fits");
    }

    void addToRecipe(const std::string& text) const {
        std::ofstream(night() / "recipe.toml", std::ios::app) << text;
    }

    TemporaryFolder own_;
};

} // namespace pathmark::test_support
