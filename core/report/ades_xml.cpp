#include "core/report/ades_values.h"
#include "core/report/writers.h"

#include <pugixml.hpp>

#include <sstream>

namespace pathmark::report {

Result<std::string> toAdesXml(const ReportHead& head,
                              std::span<const Observation> observations,
                              std::vector<Error>& leftOut) {
    const auto records = adesRecords(head, observations, leftOut);
    if (!records) {
        return fail(records.error());
    }
    pugi::xml_document document;
    auto declaration = document.append_child(pugi::node_declaration);
    declaration.append_attribute("version") = "1.0";
    declaration.append_attribute("encoding") = "UTF-8";
    auto ades = document.append_child("ades");
    ades.append_attribute("version") = orbit::kAdesVersion;
    auto block = ades.append_child("obsBlock");
    auto context = block.append_child("obsContext");
    for (const AdesGroup& group : adesContext(head)) {
        auto node = context.append_child(group.name.c_str());
        for (const auto& [field, value] : group.fields) {
            node.append_child(field.c_str()).text().set(value.c_str());
        }
    }
    auto data = block.append_child("obsData");
    for (const auto& record : *records) {
        auto optical = data.append_child("optical");
        for (const auto& [field, value] : record) {
            optical.append_child(field.c_str()).text().set(value.c_str());
        }
    }
    std::ostringstream stream;
    document.save(stream, "  ");
    return stream.str();
}

} // namespace pathmark::report
