#include "fuzz/input.h"

#include <fcntl.h>
#include <unistd.h>

#include <cstdlib>
#include <string>
#include <system_error>

namespace pathmark::fuzz {
namespace {

namespace fs = std::filesystem;

/// Of this process alone, gone with it.
struct Folder {
    Folder() {
        std::error_code status;
        const fs::path memory = "/dev/shm";
        const fs::path above =
            fs::is_directory(memory, status) ? memory : fs::temp_directory_path();
        path = above / ("pathmark-fuzz-" + std::to_string(::getpid()));
        fs::create_directories(path);
    }

    ~Folder() {
        std::error_code status;
        fs::remove_all(path, status);
    }

    fs::path path;
};

} // namespace

fs::path Input::file(const char* name) const {
    static const Folder folder;
    const fs::path path = folder.path / name;
    const int file = ::open(path.c_str(), O_WRONLY | O_CREAT | O_TRUNC, 0600);
    if (file < 0 || ::write(file, data_, size_) != static_cast<ssize_t>(size_)) {
        std::abort(); // nothing would be tried any more
    }
    ::close(file);
    return path;
}

} // namespace pathmark::fuzz

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    pathmark::fuzz::execute({data, size});
    return 0;
}
