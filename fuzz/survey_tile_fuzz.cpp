#include "core/survey/tile_file.h"

#include "fuzz/input.h"

// Any bytes as a sky survey's tile, as each of the formats.

namespace pathmark {

void fuzz::execute(const Input& input) {
    const auto path = input.file("tile");
    for (const auto format :
         {survey::TileFormat::Fits, survey::TileFormat::Png, survey::TileFormat::Jpeg}) {
        (void)survey::readTile(path, format);
    }
}

} // namespace pathmark
