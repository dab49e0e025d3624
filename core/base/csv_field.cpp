#include "core/base/csv_field.h"

#include "core/base/text.h"

#include <algorithm>

namespace pathmark {

std::string csvField(std::string text) {
    std::replace(text.begin(), text.end(), '\n', ' ');
    std::replace(text.begin(), text.end(), '\r', ' ');
    if (text.find_first_of(",\"") == std::string::npos) {
        return text;
    }
    std::string quoted = "\"";
    for (const char c : text) {
        quoted += c == '"' ? "\"\"" : std::string(1, c);
    }
    return quoted + "\"";
}

std::vector<std::string> csvFields(std::string_view line) {
    std::vector<std::string> fields;
    std::string field;
    bool quoted = false;
    bool wasQuoted = false;
    const auto end = [&] {
        fields.push_back(wasQuoted ? field : std::string(trim(field)));
        field.clear();
        wasQuoted = false;
    };
    for (std::size_t i = 0; i < line.size(); ++i) {
        const char c = line[i];
        if (quoted) {
            if (c != '"') {
                field += c;
            } else if (i + 1 < line.size() && line[i + 1] == '"') {
                field += c;
                ++i;
            } else {
                quoted = false;
            }
        } else if (c == '"' && trim(field).empty()) {
            field.clear();
            quoted = true;
            wasQuoted = true;
        } else if (c == ',') {
            end();
        } else if (!wasQuoted) {
            field += c; // between a closing quote and the comma nothing counts
        }
    }
    end();
    return fields;
}

} // namespace pathmark
