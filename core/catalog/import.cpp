#include "core/catalog/import.h"

namespace pathmark::catalog {
namespace {

/// Errors after which going on makes no sense: the store's, not the table's.
bool endsAll(const Error& error) {
    return error.id != ErrorId::CatalogBadTable && error.id != ErrorId::CatalogServiceRefused;
}

} // namespace

Result<ImportReport> importTables(const std::vector<std::filesystem::path>& tables,
                                  const std::filesystem::path& folder,
                                  const std::string& name,
                                  const Job& job) {
    // Said before a large table is read.
    if (auto good = checkCatalogueName(name); !good) {
        return fail(good.error());
    }
    ImportReport report;
    StoreWriter writer(folder, name);
    std::uint64_t good = 0;
    for (const auto& path : tables) {
        // A table that breaks off in the middle has given rows already: they are good rows of that table.
        auto table = readStarTable(
            path,
            [&](const std::vector<StarRow>& rows) {
                good += rows.size();
                return writer.add(rows);
            },
            job.stop);
        if (!table && endsAll(table.error())) {
            return fail(table.error());
        }
        report.tables.emplace_back(path, std::move(table));
        job.progress("Reading star tables",
                     static_cast<int>(report.tables.size()),
                     static_cast<int>(tables.size()));
    }
    if (good > 0) {
        auto written = writer.finish();
        if (!written) {
            return fail(written.error());
        }
        report.store = *written;
    }
    return report;
}

} // namespace pathmark::catalog
