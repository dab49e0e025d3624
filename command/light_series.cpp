#include "command/light_series.h"

#include <algorithm>

namespace pathmark::command {

LightSeries
readLights(const Console& console, const FrameInput& input, const std::string& wcsFolder) {
    LightSeries read;
    read.failures = input.list.failures;
    const Job job = console.job();
    int done = 0;
    for (const auto& path : input.list.files) {
        if (job.stop.stop_requested()) {
            break;
        }
        job.progress("Reading frames", done++, static_cast<int>(input.list.files.size()));
        auto light = night::readStackLight(path, wcsFolder, input.rules);
        if (light) {
            read.lights.push_back(std::move(*light));
        } else {
            Error error = light.error();
            error.subject = error.subject.empty() ? path.string() : error.subject;
            read.failures.push_back(std::move(error));
        }
    }
    std::stable_sort(read.lights.begin(), read.lights.end(), [](const auto& x, const auto& y) {
        return x.middle < y.middle;
    });
    return read;
}

} // namespace pathmark::command
