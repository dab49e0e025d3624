#include "core/identify/archive_table.h"

#include "fuzz/input.h"

// Any text as the list of an archive.

namespace pathmark {

void fuzz::execute(const Input& input) {
    if (const auto rows = identify::parseArchiveTable(input.text())) {
        (void)identify::toArchiveCsv(*rows);
        (void)identify::toArchiveVoTable(*rows);
    }
}

} // namespace pathmark
