#pragma once

#include "core/catalog/star_table.h"

namespace pathmark::catalog {

/// The first table of a FITS file that has the needed columns, plain or gzip.
Result<TableReport>
readFitsTable(const std::filesystem::path& path, const RowSink& sink, const std::stop_token& stop);

} // namespace pathmark::catalog
