#include "core/orbit/motion/spk_file.h"

#include <fcntl.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>
#include <string_view>
#include <utility>

namespace pathmark::orbit {
namespace {

constexpr std::size_t kRecord = 1024;
constexpr std::size_t kSummary = 40; // two doubles and six integers

} // namespace

template <typename T>
T SpkFile::read(std::size_t offset) const {
    std::array<char, sizeof(T)> raw{};
    std::memcpy(raw.data(), bytes_ + offset, sizeof(T));
    if (swap_) {
        std::reverse(raw.begin(), raw.end());
    }
    return std::bit_cast<T>(raw);
}

std::optional<SpkFile> SpkFile::open(const std::filesystem::path& path) {
    const int handle = ::open(path.c_str(), O_RDONLY | O_CLOEXEC);
    if (handle < 0) {
        return std::nullopt;
    }
    SpkFile file;

    struct stat status {};

    if (::fstat(handle, &status) == 0 && status.st_size >= static_cast<off_t>(kRecord)) {
        file.size_ = static_cast<std::size_t>(status.st_size);
        void* mapped = ::mmap(nullptr, file.size_, PROT_READ, MAP_PRIVATE, handle, 0);
        file.bytes_ = mapped == MAP_FAILED ? nullptr : static_cast<const char*>(mapped);
    }
    ::close(handle);
    if (file.bytes_ == nullptr || !file.readDirectory()) {
        return std::nullopt;
    }
    return file;
}

SpkFile::SpkFile(SpkFile&& other) noexcept
    : bytes_(std::exchange(other.bytes_, nullptr)), size_(other.size_), swap_(other.swap_),
      segments_(std::move(other.segments_)) {}

SpkFile& SpkFile::operator=(SpkFile&& other) noexcept {
    std::swap(bytes_, other.bytes_);
    std::swap(size_, other.size_);
    std::swap(swap_, other.swap_);
    std::swap(segments_, other.segments_);
    return *this;
}

SpkFile::~SpkFile() {
    if (bytes_ != nullptr) {
        ::munmap(const_cast<char*>(bytes_), size_);
    }
}

namespace {

/// A count that a file states as a number of its own kind: none where it is none, no more than there may be.
std::size_t countFrom(double stated, double most) {
    return stated > 0.0 ? static_cast<std::size_t>(std::min(stated, most)) : 0;
}

} // namespace

bool SpkFile::readDirectory() {
    if (std::memcmp(bytes_, "DAF/SPK", 7) != 0) {
        return false;
    }
    const bool little = std::string_view(bytes_ + 88, 3) == "LTL";
    swap_ = little != (std::endian::native == std::endian::little);
    if (read<std::int32_t>(8) != 2 || read<std::int32_t>(12) != 6) {
        return false;
    }
    auto record = static_cast<std::size_t>(std::max(0, read<std::int32_t>(76)));
    for (int guard = 0; record != 0 && guard < 10000; ++guard) {
        const std::size_t base = (record - 1) * kRecord;
        if (base + kRecord > size_) {
            return false;
        }
        const std::size_t count = countFrom(read<double>(base + 16), 25.0);
        for (std::size_t i = 0; i < count; ++i) {
            if (!readSegment(base + 24 + i * kSummary)) {
                return false;
            }
        }
        record = countFrom(read<double>(base), static_cast<double>(size_ / kRecord) + 1.0);
    }
    return !segments_.empty();
}

/// False for a segment that points outside the file; other types than ours are passed over.
bool SpkFile::readSegment(std::size_t at) {
    SpkSegment s;
    s.start = read<double>(at);
    s.end = read<double>(at + 8);
    s.target = read<std::int32_t>(at + 16);
    s.centre = read<std::int32_t>(at + 20);
    s.type = read<std::int32_t>(at + 28);
    const auto first = static_cast<std::size_t>(std::max(1, read<std::int32_t>(at + 32)));
    const auto last = static_cast<std::size_t>(std::max(1, read<std::int32_t>(at + 36)));
    if (s.type != 2 && s.type != 3) {
        return true;
    }
    if (last * 8 > size_ || last < first + 4) {
        return false;
    }
    s.firstWord = first - 1;
    s.recordStart = word(last - 4);
    s.recordLength = word(last - 3);
    const double words = word(last - 2);
    const double records = word(last - 1);
    const auto room = static_cast<double>(last - first - 3);
    if (!(s.recordLength > 0.0) || !(words >= 5.0) || !(records >= 1.0) || words * records > room) {
        return false;
    }
    s.recordWords = static_cast<std::size_t>(words);
    s.records = static_cast<std::size_t>(records);
    segments_.push_back(s);
    return true;
}

/// Source   Chebyshev sums by Clenshaw's recurrence: Press et al. 2007, Numerical Recipes, sec. 5.8.
void SpkFile::evaluate(const SpkSegment& s,
                       double seconds,
                       double position[3],
                       double velocity[3]) const {
    const std::size_t index =
        countFrom((seconds - s.recordStart) / s.recordLength, static_cast<double>(s.records - 1));
    const std::size_t base = s.firstWord + index * s.recordWords;
    const double radius = word(base + 1);
    const double x = (seconds - word(base)) / radius;
    const std::size_t sets = s.type == 2 ? 3 : 6;
    const std::size_t n = (s.recordWords - 2) / sets;
    // The axes side by side: each sum is a chain, three chains keep the processor busy.
    std::array<double, 3> b1{};
    std::array<double, 3> b2{};
    for (std::size_t k = n; k-- > 1;) {
        for (std::size_t axis = 0; axis < 3; ++axis) {
            const double b0 = 2.0 * x * b1[axis] - b2[axis] + word(base + 2 + axis * n + k);
            b2[axis] = b1[axis];
            b1[axis] = b0;
        }
    }
    for (std::size_t axis = 0; axis < 3; ++axis) {
        const std::size_t first = base + 2 + axis * n;
        position[axis] = x * b1[axis] - b2[axis] + word(first);
        if (velocity != nullptr) {
            velocity[axis] = slope(first, n, x) / radius;
        }
    }
}

/// d/dx of the sum, by the same recurrence differentiated.
double SpkFile::slope(std::size_t first, std::size_t n, double x) const {
    double b1 = 0.0;
    double b2 = 0.0;
    double d1 = 0.0;
    double d2 = 0.0;
    for (std::size_t k = n; k-- > 1;) {
        const double d0 = 2.0 * x * d1 - d2 + 2.0 * b1;
        const double b0 = 2.0 * x * b1 - b2 + word(first + k);
        d2 = d1;
        d1 = d0;
        b2 = b1;
        b1 = b0;
    }
    return b1 + x * d1 - d2;
}

} // namespace pathmark::orbit
