#include "core/catalog/star_table.h"

#include "fuzz/input.h"

// Any bytes as a table of stars: CSV, VOTable in its three codings, FITS, plain or gzip.

namespace pathmark {

void fuzz::execute(const Input& input) {
    (void)catalog::readStarTable(
        input.file("stars"),
        [](const std::vector<catalog::StarRow>&) { return Result<bool>(true); },
        {});
}

} // namespace pathmark
