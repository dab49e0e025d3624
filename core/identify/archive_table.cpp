#include "core/identify/archive_table.h"

#include "core/catalog/written_table.h"

#include <fmt/format.h>

#include <array>

namespace pathmark::identify {
namespace {

struct Column {
    const char* name;
    const char* datatype;
    const char* unit;
    const char* ucd;
    std::string (*text)(const ArchiveRow&);
};

std::string orNothing(const std::optional<double>& value) {
    return value ? fmt::format("{:.2f}", *value) : std::string();
}

/// One description of the columns for both formats.
const std::array<Column, 12>& columns() {
    static const std::array<Column, 12> all{{
        {"body", "char", "", "meta.id;meta.main", [](const ArchiveRow& r) { return r.body; }},
        {"file", "char", "", "meta.id;meta.file", [](const ArchiveRow& r) { return r.file; }},
        {"mid_time", "char", "", "time.epoch", [](const ArchiveRow& r) { return toIso(r.middle); }},
        {"ra",
         "double",
         "deg",
         "pos.eq.ra;meta.main",
         [](const ArchiveRow& r) { return fmt::format("{:.7f}", r.sky.longitude.degrees()); }},
        {"dec",
         "double",
         "deg",
         "pos.eq.dec;meta.main",
         [](const ArchiveRow& r) { return fmt::format("{:.7f}", r.sky.latitude.degrees()); }},
        {"x",
         "double",
         "pixel",
         "pos.cartesian.x;instr.det",
         [](const ArchiveRow& r) { return fmt::format("{:.2f}", r.x); }},
        {"y",
         "double",
         "pixel",
         "pos.cartesian.y;instr.det",
         [](const ArchiveRow& r) { return fmt::format("{:.2f}", r.y); }},
        {"rate",
         "double",
         "arcsec/min",
         "pos.pm",
         [](const ArchiveRow& r) { return fmt::format("{:.4f}", r.rateArcsecPerMin); }},
        {"position_angle",
         "double",
         "deg",
         "pos.posAng",
         [](const ArchiveRow& r) { return fmt::format("{:.2f}", r.positionAngleDegrees); }},
        {"mag",
         "double",
         "mag",
         "phot.mag;em.opt.V",
         [](const ArchiveRow& r) { return orNothing(r.magnitude); }},
        {"limiting_mag",
         "double",
         "mag",
         "phot.mag;stat.max",
         [](const ArchiveRow& r) { return orNothing(r.limitingMagnitude); }},
        {"distance",
         "double",
         "AU",
         "pos.distance",
         [](const ArchiveRow& r) { return fmt::format("{:.5f}", r.distanceAu); }},
    }};
    return all;
}

catalog::WrittenTable tableOf(std::span<const ArchiveRow> rows) {
    catalog::WrittenTable table;
    table.name = "known_bodies";
    for (const Column& column : columns()) {
        table.columns.push_back({column.name, column.datatype, column.unit, column.ucd});
    }
    for (const ArchiveRow& row : rows) {
        table.rows.emplace_back();
        for (const Column& column : columns()) {
            table.rows.back().push_back(column.text(row));
        }
    }
    return table;
}

} // namespace

std::string toArchiveCsv(std::span<const ArchiveRow> rows) {
    return catalog::toCsv(tableOf(rows));
}

std::string toArchiveVoTable(std::span<const ArchiveRow> rows) {
    return catalog::toVoTable(tableOf(rows));
}

} // namespace pathmark::identify
