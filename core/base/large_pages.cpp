#include "core/base/large_pages.h"

#include <sys/mman.h>

#include <cstdint>

namespace pathmark {
namespace {

constexpr std::size_t kPage = std::size_t{2} << 20U;

std::size_t wholePages(std::size_t bytes) {
    return (bytes + kPage - 1) / kPage * kPage;
}

} // namespace

void* largePages(std::size_t bytes) {
    // One page more, so that it can begin where a page does.
    const std::size_t whole = wholePages(bytes);
    void* const got =
        ::mmap(nullptr, whole + kPage, PROT_READ | PROT_WRITE, MAP_PRIVATE | MAP_ANONYMOUS, -1, 0);
    if (got == MAP_FAILED) {
        throw std::bad_alloc();
    }
    auto* const first = static_cast<std::byte*>(got);
    const std::size_t before = (kPage - reinterpret_cast<std::uintptr_t>(got) % kPage) % kPage;
    if (before > 0) {
        ::munmap(first, before);
    }
    ::munmap(first + before + whole, kPage - before);
#if defined(MADV_HUGEPAGE)
    ::madvise(first + before, whole, MADV_HUGEPAGE); // small pages do where there are no others
#endif
    return first + before;
}

void giveBack(void* memory, std::size_t bytes) noexcept {
    ::munmap(memory, wholePages(bytes));
}

} // namespace pathmark
