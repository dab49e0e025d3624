#include "core/report/ades_values.h"
#include "core/report/writers.h"

#include <fmt/format.h>

#include <algorithm>

namespace pathmark::report {
namespace {

std::vector<std::string> columnNames(const std::vector<AdesField>& fields) {
    std::vector<std::string> names;
    names.reserve(fields.size());
    for (const auto& field : fields) {
        names.push_back(field.first);
    }
    return names;
}

std::string joined(const std::vector<std::string>& words) {
    std::string line;
    for (std::size_t i = 0; i < words.size(); ++i) {
        line += (i == 0 ? "" : "|") + words[i];
    }
    return line + "\n";
}

} // namespace

Result<std::string> toAdesPsv(const ReportHead& head, std::span<const Observation> observations) {
    if (observations.empty()) {
        return fail(ErrorId::ReportNothingToReport,
                    "No measurement is kept; keep at least one before reporting.");
    }
    std::string text = fmt::format("# version={}\n", kAdesVersion);
    for (const AdesGroup& group : adesContext(head)) {
        text += "# " + group.name + "\n";
        for (const auto& [field, value] : group.fields) {
            text += fmt::format("! {} {}\n", field, value);
        }
    }
    std::vector<std::string> head0;
    for (const Observation& observation : observations) {
        const auto fields = adesFields(head, observation);
        auto names = columnNames(fields);
        // A change of columns starts a new table with its own head line.
        if (names != head0) {
            head0 = names;
            text += joined(names);
        }
        std::vector<std::string> values;
        for (const auto& field : fields) {
            std::string value = field.second;
            std::replace(value.begin(), value.end(), '|', '/');
            values.push_back(value);
        }
        text += joined(values);
    }
    return text;
}

} // namespace pathmark::report
