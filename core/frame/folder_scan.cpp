#include "core/frame/folder_scan.h"

#include "core/base/text.h"
#include "core/frame/fits_file.h"

#include <algorithm>
#include <string>

namespace pathmark::frame {
namespace fs = std::filesystem;

namespace {

bool looksLikeFits(const fs::path& path) {
    std::string file = toLower(path.filename().string());
    for (const std::string_view packed : {".gz", ".fz"}) {
        if (file.ends_with(packed)) {
            file.resize(file.size() - packed.size());
        }
    }
    return !file.starts_with('.') &&
           (file.ends_with(".fits") || file.ends_with(".fit") || file.ends_with(".fts"));
}

} // namespace

Result<FolderScan> scanFolder(const fs::path& folder, const Job& job) {
    std::vector<fs::path> files;
    std::error_code status;
    for (fs::recursive_directory_iterator
             entry(folder, fs::directory_options::skip_permission_denied, status),
         end;
         !status && entry != end;
         entry.increment(status)) {
        std::error_code ignored;
        if (entry->is_regular_file(ignored) && looksLikeFits(entry->path())) {
            files.push_back(entry->path());
        }
    }
    if (files.empty()) {
        return fail(ErrorId::FrameNoFrames,
                    "There is no FITS file in this folder; give the folder that holds the night's "
                    "frames.",
                    folder.string());
    }
    std::sort(files.begin(), files.end());
    FolderScan scan;
    for (std::size_t i = 0; i < files.size(); ++i) {
        if (job.stop.stop_requested()) {
            return fail(ErrorId::BaseCancelled, "Stopped.");
        }
        job.progress("Reading headers", static_cast<int>(i), static_cast<int>(files.size()));
        auto reader = FitsReader::open(files[i]);
        if (reader && reader->header().find("PMKEY") != nullptr) {
            // Written by an earlier run: a result, not one of the night's frames.
            ++scan.ownResults;
        } else if (reader) {
            scan.frames.push_back(
                describeFrame(files[i], reader->width(), reader->height(), reader->header()));
        } else {
            scan.failures.push_back(reader.error());
        }
    }
    return scan;
}

} // namespace pathmark::frame
