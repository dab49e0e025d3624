#include "core/frame/folder_scan.h"

#include "core/base/parallel.h"
#include "core/frame/image_path.h"
#include "core/frame/open_frame.h"
#include "core/frame/pixel_kind.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <optional>
#include <string>

namespace pathmark::frame {
namespace fs = std::filesystem;

namespace {

void addBelow(const fs::path& folder, FrameList& found) {
    std::error_code status;
    for (fs::recursive_directory_iterator
             entry(folder, fs::directory_options::skip_permission_denied, status),
         end;
         !status && entry != end;
         entry.increment(status)) {
        std::error_code ignored;
        const fs::path& path = entry->path();
        if (entry->is_directory(ignored) && !entry->is_symlink(ignored)) {
            if (::faccessat(AT_FDCWD, path.c_str(), R_OK | X_OK, AT_EACCESS) != 0) {
                found.failures.push_back(
                    {ErrorId::FrameNotReadable,
                     "This folder may not be read; its frames are missing. Ask for the "
                     "right to read it.",
                     path.string()});
            }
        } else if (looksLikeFrame(path)) {
            if (entry->is_regular_file(ignored)) {
                found.files.push_back(path);
            } else if (entry->is_symlink(ignored) && !fs::exists(path, ignored)) {
                found.failures.push_back({ErrorId::FrameNotReadable,
                                          "This link leads nowhere; leave it out.",
                                          path.string()});
            }
        }
    }
}

/// Each image of its own where a file holds several frames.
void expandFiles(std::vector<fs::path>& files) {
    std::vector<std::vector<fs::path>> frames(files.size());
    parallelFor(files.size(), [&](std::size_t i) {
        frames[i] = looksLikeFits(files[i]) ? framesOfFile(files[i]) : std::vector{files[i]};
    });
    files.clear();
    for (const auto& some : frames) {
        files.insert(files.end(), some.begin(), some.end());
    }
}

/// What became of one file; neither for the result of an earlier run.
struct Outcome {
    std::optional<FrameInfo> info;
    std::optional<Error> error;
};

Result<FrameInfo>
describeSource(const fs::path& path, FrameSource& source, const ReadingRules& rules) {
    FrameInfo info = describeFrame(path, source.width(), source.height(), source.header(), rules);
    info.note = source.note();
    if (!source.sensor().empty()) {
        // Each sensor has frames for calibration of its own.
        info.camera += (info.camera.empty() ? "" : " ") + source.sensor();
    }
    if (const auto planes = source.header().number("NAXIS3").value_or(1.0);
        planes > 1.0 && planes != 3.0) {
        info.notes.push_back(
            fmt::format("the file holds {:g} planes; only the first is used", planes));
    }
    auto sample = samplePixels(source);
    if (!sample) {
        Error error = sample.error();
        error.subject = path.string();
        return fail(std::move(error));
    }
    info.sample = *sample;
    if (info.kind == FrameKind::Unknown) {
        info.kind = kindFromPixels(*sample, info, info.saturationAdu.value_or(65535.0));
        if (info.kind != FrameKind::Unknown) {
            info.kindReason = "its pixels: header and names do not say what it is";
            info.origins.push_back({"kind", name(info.kind), info.kindReason});
        }
    }
    return info;
}

Outcome gather(const fs::path& path, const ReadingRules& rules) {
    auto source = openFrame(path);
    if (!source) {
        // A damaged result of an earlier run is none of the night's frames either.
        const auto header = readFitsHeader(path);
        return header && isOwnResult(*header) ? Outcome{} : Outcome{std::nullopt, source.error()};
    }
    if (isOwnResult((*source)->header())) {
        return {};
    }
    auto info = describeSource(path, **source, rules);
    return info ? Outcome{std::move(*info), std::nullopt} : Outcome{std::nullopt, info.error()};
}

} // namespace

Result<FrameInfo> describeFile(const fs::path& path, const ReadingRules& rules) {
    auto source = openFrame(path);
    if (!source) {
        return fail(source.error());
    }
    return describeSource(path, **source, rules);
}

FrameList listFrames(std::span<const fs::path> places) {
    FrameList found;
    for (const fs::path& place : places) {
        std::error_code status;
        if (fs::is_directory(place, status)) {
            addBelow(place, found);
        } else if (fs::exists(ImagePath::of(place).file, status)) {
            found.files.push_back(place);
        } else {
            found.failures.push_back(
                {ErrorId::FrameNotReadable, "There is no such file or folder.", place.string()});
        }
    }
    expandFiles(found.files);
    std::sort(found.files.begin(), found.files.end());
    found.files.erase(std::unique(found.files.begin(), found.files.end()), found.files.end());
    return found;
}

Result<FolderScan> scanFolder(const fs::path& folder, const Job& job, const ReadingRules& rules) {
    return scanFrames(std::span(&folder, 1), job, rules);
}

Result<FolderScan>
scanFrames(std::span<const fs::path> places, const Job& job, const ReadingRules& rules) {
    FrameList found = listFrames(places);
    std::error_code status;
    const bool oneMissing = places.size() == 1 && !fs::exists(places.front(), status);
    if (found.files.empty() && (found.failures.empty() || oneMissing)) {
        return fail(ErrorId::FrameNoFrames,
                    "There is no frame (FITS, TIFF or camera raw) in this folder; give the folder "
                    "that holds the night's frames.",
                    places.empty() ? std::string() : places.front().string());
    }
    FolderScan scan;
    scan.failures = std::move(found.failures);
    std::vector<Outcome> outcomes(found.files.size());
    constexpr std::size_t atOnce = 64;
    for (std::size_t first = 0; first < outcomes.size(); first += atOnce) {
        job.progress("Reading headers", static_cast<int>(first), static_cast<int>(outcomes.size()));
        parallelFor(std::min(atOnce, outcomes.size() - first), [&](std::size_t k) {
            if (!job.stop.stop_requested()) {
                outcomes[first + k] = gather(found.files[first + k], rules);
            }
        });
        if (job.stop.stop_requested()) {
            return fail(ErrorId::BaseCancelled, "Stopped.");
        }
    }
    for (Outcome& outcome : outcomes) {
        if (outcome.info) {
            scan.frames.push_back(std::move(*outcome.info));
        } else if (outcome.error) {
            scan.failures.push_back(std::move(*outcome.error));
        } else {
            ++scan.ownResults;
        }
    }
    return scan;
}

} // namespace pathmark::frame
