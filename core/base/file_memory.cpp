#include "core/base/file_memory.h"

#include <fcntl.h>
#include <sys/mman.h>
#include <unistd.h>

#include <new>
#include <string>

namespace pathmark {

FileMemory::FileMemory(std::size_t bytes, const std::filesystem::path& folder) : bytes_(bytes) {
    std::string name = (folder / "memory-XXXXXX").string();
    const int file = ::mkstemp(name.data());
    if (file < 0) {
        throw std::bad_alloc();
    }
    ::unlink(name.c_str());
    // Room is taken now: a disk that is full later would end the process.
    const bool hasRoom = bytes == 0 || ::posix_fallocate(file, 0, static_cast<off_t>(bytes)) == 0;
    void* memory = hasRoom && bytes > 0
                       ? ::mmap(nullptr, bytes, PROT_READ | PROT_WRITE, MAP_SHARED, file, 0)
                       : nullptr;
    ::close(file);
    if (!hasRoom || memory == MAP_FAILED) {
        throw std::bad_alloc();
    }
    data_ = memory;
}

FileMemory::~FileMemory() {
    if (data_ != nullptr) {
        ::munmap(data_, bytes_);
    }
}

} // namespace pathmark
