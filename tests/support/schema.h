#pragma once

#include <libxml/parser.h>
#include <libxml/xmlschemas.h>

#include <cstdarg>
#include <cstdio>
#include <string>

namespace pathmark::test_support {

inline void collectSchemaError(void* into, const char* format, ...) {
    char text[512];
    va_list arguments;
    va_start(arguments, format);
    std::vsnprintf(text, sizeof text, format, arguments);
    va_end(arguments);
    *static_cast<std::string*>(into) += text;
}

/// What libxml2 has against a document under a schema; empty where it is valid.
inline std::string schemaErrors(const std::string& schemaFile, const std::string& xml) {
    std::string errors;
    xmlSchemaParserCtxtPtr parser = xmlSchemaNewParserCtxt(schemaFile.c_str());
    xmlSchemaSetParserErrors(parser, &collectSchemaError, &collectSchemaError, &errors);
    xmlSchemaPtr schema = xmlSchemaParse(parser);
    xmlDocPtr document =
        xmlReadMemory(xml.data(), static_cast<int>(xml.size()), "report.xml", nullptr, 0);
    if (schema == nullptr || document == nullptr) {
        errors += "the schema or the document cannot be read";
    } else {
        xmlSchemaValidCtxtPtr check = xmlSchemaNewValidCtxt(schema);
        xmlSchemaSetValidErrors(check, &collectSchemaError, &collectSchemaError, &errors);
        if (xmlSchemaValidateDoc(check, document) != 0 && errors.empty()) {
            errors = "not valid";
        }
        xmlSchemaFreeValidCtxt(check);
    }
    xmlFreeDoc(document);
    xmlSchemaFree(schema);
    xmlSchemaFreeParserCtxt(parser);
    return errors;
}

} // namespace pathmark::test_support
