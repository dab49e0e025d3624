#include "core/base/large_pages.h"

#include "core/base/spare_memory.h"

#include <malloc.h>
#include <sys/mman.h>

#include <cstdint>
#include <mutex>
#include <vector>

namespace pathmark {
namespace {

constexpr std::size_t kPage = std::size_t{2} << 20U;

std::size_t wholePages(std::size_t bytes) {
    return (bytes + kPage - 1) / kPage * kPage;
}

/// What was given back last, for who asks for as much next: frames of a night are of one size, and giving one its memory takes
/// the system a tenth of the time that is spent on it. A request that finds nothing here frees as much as it takes, so that all
/// memory together is no more than was in use at one time.
class Spares {
  public:
    void* take(std::size_t bytes) {
        const std::scoped_lock lock(guard_);
        for (auto spare = blocks_.rbegin(); spare != blocks_.rend(); ++spare) {
            if (spare->bytes == bytes) {
                void* const memory = spare->memory;
                held_ -= bytes;
                blocks_.erase(std::next(spare).base());
                return memory;
            }
        }
        release(held_ > bytes ? held_ - bytes : 0);
        return nullptr;
    }

    void put(void* memory, std::size_t bytes) noexcept {
        const std::scoped_lock lock(guard_);
        if (bytes > kMostHeld) {
            ::munmap(memory, bytes);
            return;
        }
        release(kMostHeld - bytes);
        blocks_.push_back({memory, bytes});
        held_ += bytes;
    }

    void releaseAll() noexcept {
        const std::scoped_lock lock(guard_);
        release(0);
    }

  private:
    static constexpr std::size_t kMostHeld = std::size_t{384} << 20U;

    struct Block {
        void* memory = nullptr;
        std::size_t bytes = 0;
    };

    /// The oldest first, until no more than so much is held.
    void release(std::size_t most) noexcept {
        auto kept = blocks_.begin();
        for (; kept != blocks_.end() && held_ > most; ++kept) {
            ::munmap(kept->memory, kept->bytes);
            held_ -= kept->bytes;
        }
        blocks_.erase(blocks_.begin(), kept);
    }

    std::mutex guard_;
    std::vector<Block> blocks_ = [] {
        std::vector<Block> none;
        none.reserve(kMostHeld / (2 * kPage) +
                     1); // so that nothing is allocated where nothing may fail
        return none;
    }();
    std::size_t held_ = 0;
};

Spares& spares() {
    static auto* const kept = new Spares; // images may outlive whatever else ends with the program
    return *kept;
}

} // namespace

void* largePages(std::size_t bytes) {
    const std::size_t whole = wholePages(bytes);
    if (void* const spare = spares().take(whole)) {
        return spare;
    }
    // One page more, so that it can begin where a page does.
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
    spares().put(memory, wholePages(bytes));
}

void releaseSpareMemory() {
    spares().releaseAll();
    ::malloc_trim(0);
}

} // namespace pathmark
