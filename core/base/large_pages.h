#pragma once

#include <cstddef>
#include <new>

// The address sanitizer watches what it has given itself alone.
#if defined(__SANITIZE_ADDRESS__)
#define PATHMARK_WATCHED_MEMORY
#elif defined(__has_feature)
#if __has_feature(address_sanitizer)
#define PATHMARK_WATCHED_MEMORY
#endif
#endif

namespace pathmark {

/// Memory in pages of two megabytes where the system has them. Throws std::bad_alloc.
void* largePages(std::size_t bytes);

/// Gives it back: some of it is kept for the next who asks for as much.
void giveBack(void* memory, std::size_t bytes) noexcept;

/// An allocator for what is megabytes large: it asks for pages of two megabytes, as giving a frame its memory in pages of four
/// kilobytes takes longer than reading it.
template <class T>
class LargePages {
  public:
    using value_type = T;

    LargePages() = default;

    template <class U>
    explicit LargePages(const LargePages<U>&) noexcept {}

    T* allocate(std::size_t count) {
        const std::size_t bytes = count * sizeof(T);
        return static_cast<T*>(bytes < kLeastBytes ? ::operator new(bytes) : largePages(bytes));
    }

    void deallocate(T* memory, std::size_t count) noexcept {
        const std::size_t bytes = count * sizeof(T);
        if (bytes < kLeastBytes) {
            ::operator delete(memory);
        } else {
            giveBack(memory, bytes);
        }
    }

    friend bool operator==(const LargePages&, const LargePages&) { return true; }

  private:
#if defined(PATHMARK_WATCHED_MEMORY)
    static constexpr std::size_t kLeastBytes = static_cast<std::size_t>(-1);
#else
    static constexpr std::size_t kLeastBytes = std::size_t{4} << 20U;
#endif
};

} // namespace pathmark
