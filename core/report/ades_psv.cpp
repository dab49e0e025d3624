#include "core/report/ades_values.h"
#include "core/report/writers.h"

#include <fmt/format.h>

namespace pathmark::report {

Result<std::string> toAdesPsv(const ReportHead& head,
                              std::span<const Observation> observations,
                              std::vector<Error>& leftOut) {
    const auto records = adesRecords(head, observations, leftOut);
    if (!records) {
        return fail(records.error());
    }
    std::string text = fmt::format("# version={}\n", orbit::kAdesVersion);
    for (const AdesGroup& group : adesContext(head)) {
        text += "# " + group.name + "\n";
        for (const auto& [field, value] : group.fields) {
            text += fmt::format("! {} {}\n", field, value);
        }
    }
    return text + orbit::adesTables(*records);
}

} // namespace pathmark::report
