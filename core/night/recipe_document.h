#pragma once

#include "core/base/error.h"
#include "core/base/toml.h"

#include <filesystem>
#include <optional>
#include <stdexcept>
#include <string>
#include <string_view>
#include <vector>

namespace pathmark::night {

Error badRecipe(const std::filesystem::path& path, std::string detail);

/// A value that cannot be; caught where the recipe is read.
struct BadRecipeValue : std::runtime_error {
    using std::runtime_error::runtime_error;
};

/// Typed access to a recipe. What is wrong with a value is thrown (BadRecipeValue) with its key and its line; readRecipe turns that
/// into an error.
class RecipeDocument {
  public:
    /// `root` must outlive this; `folder`: that of the recipe, from which its paths count.
    RecipeDocument(const Toml& root, std::filesystem::path folder)
        : root_(root), folder_(std::move(folder)) {}

    [[nodiscard]] const Toml* find(const char* section, const char* key) const;

    [[noreturn]] static void
    complain(const char* section, const char* key, const Toml& value, std::string_view must);

    /// A finite number.
    [[nodiscard]] std::optional<double> number(const char* section, const char* key) const;

    /// A number from `least` to `most`.
    [[nodiscard]] std::optional<double>
    numberIn(const char* section, const char* key, double least, double most) const;

    /// A list of numbers from `least` to `most`.
    [[nodiscard]] static std::vector<double>
    numbersIn(const char* section, const char* key, const Toml& value, double least, double most);

    /// A number above zero.
    [[nodiscard]] std::optional<double> positive(const char* section, const char* key) const;

    /// A whole number from 0 to `most`.
    [[nodiscard]] std::optional<int> count(const char* section, const char* key, int most) const;

    /// Text of one line.
    [[nodiscard]] std::string text(const char* section, const char* key) const;

    /// A list, or a single string as a list of one.
    [[nodiscard]] std::vector<std::string> list(const char* section, const char* key) const;

    [[nodiscard]] bool flag(const char* section, const char* key, bool otherwise) const;

    /// The tables of a section that may stand once or several times.
    [[nodiscard]] std::vector<Toml> tables(const char* section) const;

    [[nodiscard]] std::filesystem::path resolve(const std::string& text) const;

  private:
    const Toml& root_;
    std::filesystem::path folder_;
};

} // namespace pathmark::night
