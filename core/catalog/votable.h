#pragma once

#include "core/catalog/star_table.h"

namespace pathmark::catalog {

/// The first table of a VOTable document that has the needed columns, as TABLEDATA, BINARY or BINARY2, plain or gzip.
/// TABLEDATA passes row by row; a binary stream is held while it is decoded.
///
/// Errors   as readStarTable; catalog.service_refused where the document is a service's error or says that it was cut off
/// Source   VOTable 1.4, IVOA Recommendation 2019; DALI 1.1, IVOA Recommendation 2017, sec. 4.4 (QUERY_STATUS).
Result<TableReport>
readVotable(const std::filesystem::path& path, const RowSink& sink, const std::stop_token& stop);

} // namespace pathmark::catalog
