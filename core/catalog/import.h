#pragma once

#include "core/base/job.h"
#include "core/catalog/star_table.h"
#include "core/catalog/store_writer.h"

#include <filesystem>
#include <string>
#include <utility>
#include <vector>

namespace pathmark::catalog {

/// What became of each table and of the store.
struct ImportReport {
    std::vector<std::pair<std::filesystem::path, Result<TableReport>>> tables;
    StoreReport store; ///< no stars: nothing was written
};

/// Reads star tables one after the other into a new store; an older one of that name is replaced when all are read. Tables
/// that cannot be read are left out and said.
///
/// Errors   base.cannot_write, base.disk_full, base.cancelled
Result<ImportReport> importTables(const std::vector<std::filesystem::path>& tables,
                                  const std::filesystem::path& folder,
                                  const std::string& name,
                                  const Job& job);

} // namespace pathmark::catalog
