#include "core/report/structure.h"

#include "core/base/text.h"
#include "core/report/freed.h"

#include <fmt/format.h>
#include <libxml/parser.h>
#include <libxml/xmlschemas.h>

#include <memory>

namespace pathmark::report {
namespace {

using Parser = std::unique_ptr<xmlSchemaParserCtxt, Freed<xmlSchemaFreeParserCtxt>>;
using Schema = std::unique_ptr<xmlSchema, Freed<xmlSchemaFree>>;
using Document = std::unique_ptr<xmlDoc, Freed<xmlFreeDoc>>;
using Check = std::unique_ptr<xmlSchemaValidCtxt, Freed<xmlSchemaFreeValidCtxt>>;

// The library's own type of the second argument differs from version to version.
template <class ErrorPointer>
void collect(void* into, ErrorPointer error) {
    const std::string words(trim(error->message == nullptr ? "" : error->message));
    static_cast<std::vector<std::string>*>(into)->push_back(
        fmt::format("line {}: {}", error->line, words));
}

} // namespace

std::vector<std::string> structureFaults(const std::filesystem::path& schema,
                                         const std::string& xml) {
    std::vector<std::string> faults;
    const Parser parser(xmlSchemaNewParserCtxt(schema.c_str()));
    const Schema structure(parser ? xmlSchemaParse(parser.get()) : nullptr);
    const Document document(
        xmlReadMemory(xml.data(),
                      static_cast<int>(xml.size()),
                      "report.xml",
                      nullptr,
                      XML_PARSE_NONET | XML_PARSE_NOERROR | XML_PARSE_NOWARNING));
    const Check check(structure ? xmlSchemaNewValidCtxt(structure.get()) : nullptr);
    if (!check || !document) {
        return {!check ? schema.string() + " cannot be read." : "The report is no XML."};
    }
    xmlSchemaSetValidStructuredErrors(check.get(), &collect, &faults);
    if (xmlSchemaValidateDoc(check.get(), document.get()) != 0 && faults.empty()) {
        faults.emplace_back("It is not valid.");
    }
    return faults;
}

} // namespace pathmark::report
