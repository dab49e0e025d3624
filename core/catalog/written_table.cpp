#include "core/catalog/written_table.h"

#include "core/base/csv_field.h"

#include <pugixml.hpp>

#include <sstream>

namespace pathmark::catalog {
namespace {

std::string csvLine(const std::vector<std::string>& cells) {
    std::string line;
    for (std::size_t i = 0; i < cells.size(); ++i) {
        line += (i == 0 ? "" : ",") + csvField(cells[i]);
    }
    return line + "\n";
}

} // namespace

std::string toCsv(const WrittenTable& table) {
    std::vector<std::string> names;
    for (const WrittenColumn& column : table.columns) {
        names.push_back(column.name);
    }
    std::string text = csvLine(names);
    for (const auto& row : table.rows) {
        text += csvLine(row);
    }
    return text;
}

std::string toVoTable(const WrittenTable& table) {
    pugi::xml_document document;
    auto declaration = document.append_child(pugi::node_declaration);
    declaration.append_attribute("version") = "1.0";
    declaration.append_attribute("encoding") = "UTF-8";
    auto root = document.append_child("VOTABLE");
    root.append_attribute("version") = "1.4";
    root.append_attribute("xmlns") = "http://www.ivoa.net/xml/VOTable/v1.3";
    auto element = root.append_child("RESOURCE").append_child("TABLE");
    element.append_attribute("name") = table.name.c_str();
    for (const WrittenColumn& column : table.columns) {
        auto field = element.append_child("FIELD");
        field.append_attribute("name") = column.name.c_str();
        field.append_attribute("datatype") = column.datatype.c_str();
        if (column.datatype == "char") {
            field.append_attribute("arraysize") = "*";
        }
        if (!column.unit.empty()) {
            field.append_attribute("unit") = column.unit.c_str();
        }
        if (!column.ucd.empty()) {
            field.append_attribute("ucd") = column.ucd.c_str();
        }
    }
    auto data = element.append_child("DATA").append_child("TABLEDATA");
    for (const auto& row : table.rows) {
        auto line = data.append_child("TR");
        for (const std::string& cell : row) {
            line.append_child("TD").text() = cell.c_str();
        }
    }
    std::ostringstream stream;
    document.save(stream, " ");
    return stream.str();
}

} // namespace pathmark::catalog
