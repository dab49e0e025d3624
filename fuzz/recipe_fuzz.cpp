#include "core/night/recipe.h"

#include "fuzz/input.h"

// Any text as a recipe.

namespace pathmark {

void fuzz::execute(const Input& input) {
    (void)night::readRecipe(input.file("recipe.toml"));
}

} // namespace pathmark
