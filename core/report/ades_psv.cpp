#include "core/report/ades_values.h"
#include "core/report/writers.h"

#include <fmt/format.h>

namespace pathmark::report {
Result<std::string> toAdesPsv(const ReportHead& head, std::span<const Observation> observations) {
    if (observations.empty()) {
        return fail(ErrorId::ReportNothingToReport,
                    "No measurement is kept; keep at least one before reporting.");
    }
    std::string text = fmt::format("# version={}\n", orbit::kAdesVersion);
    for (const AdesGroup& group : adesContext(head)) {
        text += "# " + group.name + "\n";
        for (const auto& [field, value] : group.fields) {
            text += fmt::format("! {} {}\n", field, value);
        }
    }
    std::vector<std::vector<AdesField>> records;
    records.reserve(observations.size());
    for (const Observation& observation : observations) {
        records.push_back(adesFields(head, observation));
    }
    return text + orbit::adesTables(records);
}

} // namespace pathmark::report
