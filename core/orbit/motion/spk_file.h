#pragma once

#include <bit>
#include <cstddef>
#include <cstdint>
#include <filesystem>
#include <optional>
#include <vector>

namespace pathmark::orbit {

/// One stretch of time of one body in an SPK file.
struct SpkSegment {
    double start = 0.0; ///< TDB seconds past J2000
    double end = 0.0;
    int target = 0;
    int centre = 0;
    int type = 0;
    std::size_t firstWord = 0; ///< of eight bytes, from 0
    double recordStart = 0.0;
    double recordLength = 0.0;
    std::size_t recordWords = 0;
    std::size_t records = 0;
};

/// An SPK file mapped into memory: its segments of Chebyshev type, and its words.
///
/// Domain   Files of several gigabytes: only what is asked for is ever read.
class SpkFile {
  public:
    /// nullopt for a file that is missing, is no SPK file or has no segment of type 2 or 3.
    static std::optional<SpkFile> open(const std::filesystem::path& path);

    SpkFile(SpkFile&& other) noexcept;
    SpkFile& operator=(SpkFile&& other) noexcept;
    SpkFile(const SpkFile&) = delete;
    SpkFile& operator=(const SpkFile&) = delete;
    ~SpkFile();

    [[nodiscard]] const std::vector<SpkSegment>& segments() const { return segments_; }

    /// Position and, unless null, velocity relative to the segment's centre, km and km/s.
    void evaluate(const SpkSegment& segment,
                  double seconds,
                  double position[3],
                  double velocity[3]) const;

  private:
    SpkFile() = default;

    template <typename T>
    [[nodiscard]] T read(std::size_t offset) const;

    [[nodiscard]] double word(std::size_t index) const {
        return swap_ ? read<double>(8 * index) : reinterpret_cast<const double*>(bytes_)[index];
    }

    [[nodiscard]] double slope(std::size_t first, std::size_t n, double x) const;
    bool readDirectory();
    bool readSegment(std::size_t at);

    const char* bytes_ = nullptr;
    std::size_t size_ = 0;
    bool swap_ = false;
    std::vector<SpkSegment> segments_;
};

} // namespace pathmark::orbit
