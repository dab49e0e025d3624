#include "core/calibrate/library.h"

#include "core/frame/open_frame.h"

#include <fmt/format.h>

#include <algorithm>

namespace pathmark::calibrate {
namespace fs = std::filesystem;

Result<std::vector<frame::FrameInfo>> scanLibrary(const fs::path& folder, const Job& job) {
    std::vector<fs::path> files;
    std::error_code status;
    for (const auto& entry : fs::directory_iterator(folder, status)) {
        std::error_code ignored;
        if (entry.is_regular_file(ignored) && frame::looksLikeFrame(entry.path())) {
            files.push_back(entry.path());
        }
    }
    std::sort(files.begin(), files.end());
    std::vector<frame::FrameInfo> masters;
    for (const fs::path& file : files) {
        if (job.stop.stop_requested()) {
            return fail(ErrorId::BaseCancelled, "Stopped.");
        }
        const auto source = frame::openFrame(file);
        if (!source) {
            job.message(toMessage(source.error()));
            continue;
        }
        auto info = frame::describeFrame(
            file, (*source)->width(), (*source)->height(), (*source)->header());
        const bool calibration =
            info.kind != frame::FrameKind::Light && info.kind != frame::FrameKind::Unknown;
        if (calibration) {
            info.isMaster = true; // whatever lies in the library is ready
            masters.push_back(std::move(info));
        }
    }
    return masters;
}

fs::path libraryPath(const fs::path& folder, const Master& master) {
    const frame::FrameInfo& info = master.example;
    std::string name = frame::name(info.kind);
    if (info.exposureKnown && info.kind != frame::FrameKind::Bias) {
        name += fmt::format("_{:g}s", info.exposureSeconds);
    }
    if (info.temperatureCelsius) {
        name += fmt::format("_{:.0f}C", *info.temperatureCelsius);
    }
    if (!info.filter.empty()) {
        name += "_" + info.filter;
    }
    if (info.midExposure) {
        name += "_" + toIso(*info.midExposure).substr(0, 10);
    }
    for (char& c : name) {
        c = c == '/' || c == ' ' ? '-' : c;
    }
    return folder / fmt::format("{}_{}.fits", name, master.key.substr(0, 8));
}

} // namespace pathmark::calibrate
