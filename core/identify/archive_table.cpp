#include "core/identify/archive_table.h"

#include "core/base/csv_field.h"

#include <fmt/format.h>
#include <pugixml.hpp>

#include <array>
#include <functional>
#include <sstream>

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

} // namespace

std::string toArchiveCsv(std::span<const ArchiveRow> rows) {
    std::string text;
    const auto line = [&](const std::function<std::string(const Column&)>& cell) {
        for (const Column& column : columns()) {
            text += (&column == &columns().front() ? "" : ",") + csvField(cell(column));
        }
        text += '\n';
    };
    line([](const Column& column) { return std::string(column.name); });
    for (const ArchiveRow& row : rows) {
        line([&](const Column& column) { return column.text(row); });
    }
    return text;
}

std::string toArchiveVoTable(std::span<const ArchiveRow> rows) {
    pugi::xml_document document;
    auto declaration = document.append_child(pugi::node_declaration);
    declaration.append_attribute("version") = "1.0";
    declaration.append_attribute("encoding") = "UTF-8";
    auto root = document.append_child("VOTABLE");
    root.append_attribute("version") = "1.4";
    root.append_attribute("xmlns") = "http://www.ivoa.net/xml/VOTable/v1.3";
    auto table = root.append_child("RESOURCE").append_child("TABLE");
    table.append_attribute("name") = "known_bodies";
    for (const Column& column : columns()) {
        auto field = table.append_child("FIELD");
        field.append_attribute("name") = column.name;
        field.append_attribute("datatype") = column.datatype;
        if (std::string_view(column.datatype) == "char") {
            field.append_attribute("arraysize") = "*";
        }
        if (*column.unit != '\0') {
            field.append_attribute("unit") = column.unit;
        }
        field.append_attribute("ucd") = column.ucd;
    }
    auto data = table.append_child("DATA").append_child("TABLEDATA");
    for (const ArchiveRow& row : rows) {
        auto line = data.append_child("TR");
        for (const Column& column : columns()) {
            line.append_child("TD").text() = column.text(row).c_str();
        }
    }
    std::ostringstream stream;
    document.save(stream, " ");
    return stream.str();
}

} // namespace pathmark::identify
