#pragma once

#include "core/catalog/star_table.h"

namespace pathmark::catalog {

/// CSV, plain or gzip: blocks of lines are read one after the other and parsed side by side.
Result<TableReport>
readCsvTable(const std::filesystem::path& path, const RowSink& sink, const std::stop_token& stop);

} // namespace pathmark::catalog
