#include "core/frame/folder_scan.h"
#include "core/frame/open_frame.h"

#include <fcntl.h>
#include <unistd.h>

#include <cstddef>
#include <cstdint>
#include <filesystem>
#include <string>

// Any bytes as a FITS file: opened, described and read through must end in a frame or an error, nothing else.

namespace {

std::filesystem::path scratch() {
    static const std::filesystem::path path = [] {
        const char* memory = "/dev/shm";
        std::error_code status;
        const auto folder = std::filesystem::is_directory(memory, status)
                                ? std::filesystem::path(memory)
                                : std::filesystem::temp_directory_path();
        return folder / ("pathmark-fuzz-" + std::to_string(::getpid()) + ".fits");
    }();
    return path;
}

} // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    const auto path = scratch();
    const int file = ::open(path.c_str(), O_WRONLY | O_CREAT | O_TRUNC, 0600);
    if (file < 0 || ::write(file, data, size) != static_cast<ssize_t>(size)) {
        return 0;
    }
    ::close(file);
    const auto info = pathmark::frame::describeFile(path, {});
    if (info && static_cast<long long>(info->width) * info->height < 4'000'000) {
        (void)pathmark::frame::readFrame(path);
    }
    return 0;
}
