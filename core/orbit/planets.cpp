#include "core/orbit/planets.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <bit>
#include <cmath>
#include <cstring>
#include <fstream>
#include <iterator>
#include <vector>

namespace pathmark::orbit {
namespace {

constexpr double kKilometresPerAu = 149597870.7;
constexpr double kEarthMoonMassRatio = 81.3005690699; // of DE431, as the file is
constexpr std::size_t kRecord = 1024;

enum Body { kBarycentre = 0, kEarthMoon = 3, kSun = 10, kMoon = 301 };

struct Segment {
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

} // namespace

struct Planets::File {
    std::filesystem::path path;
    std::vector<char> bytes;
    bool swap = false;
    std::vector<Segment> segments;

    template <typename T>
    [[nodiscard]] T read(std::size_t offset) const {
        std::array<char, sizeof(T)> raw{};
        std::copy_n(bytes.begin() + static_cast<std::ptrdiff_t>(offset), sizeof(T), raw.begin());
        if (swap) {
            std::reverse(raw.begin(), raw.end());
        }
        return std::bit_cast<T>(raw);
    }

    [[nodiscard]] double word(std::size_t index) const { return read<double>(8 * index); }

    bool readDirectory();
    [[nodiscard]] Result<State> relative(int target, double seconds) const;
};

bool Planets::File::readDirectory() {
    if (bytes.size() < kRecord || std::memcmp(bytes.data(), "DAF/SPK", 7) != 0) {
        return false;
    }
    const std::string_view order(bytes.data() + 88, 8);
    const bool little = order.substr(0, 3) == "LTL";
    swap = little != (std::endian::native == std::endian::little);
    const auto doubles = static_cast<std::size_t>(read<std::int32_t>(8));
    const auto integers = static_cast<std::size_t>(read<std::int32_t>(12));
    const std::size_t summarySize = 8 * (doubles + (integers + 1) / 2);
    auto record = static_cast<std::size_t>(read<std::int32_t>(76));
    if (doubles != 2 || integers != 6) {
        return false;
    }
    for (int guard = 0; record != 0 && guard < 10000; ++guard) {
        const std::size_t base = (record - 1) * kRecord;
        if (base + kRecord > bytes.size()) {
            return false;
        }
        const auto next = static_cast<std::size_t>(read<double>(base));
        const auto count = static_cast<std::size_t>(read<double>(base + 16));
        for (std::size_t i = 0; i < std::min<std::size_t>(count, 25); ++i) {
            const std::size_t at = base + 24 + i * summarySize;
            Segment s;
            s.start = read<double>(at);
            s.end = read<double>(at + 8);
            s.target = read<std::int32_t>(at + 16);
            s.centre = read<std::int32_t>(at + 20);
            s.type = read<std::int32_t>(at + 28);
            const auto first = static_cast<std::size_t>(read<std::int32_t>(at + 32));
            const auto last = static_cast<std::size_t>(read<std::int32_t>(at + 36));
            if ((s.type != 2 && s.type != 3) || last * 8 > bytes.size() || last < first + 4) {
                continue;
            }
            s.firstWord = first - 1;
            s.recordStart = word(last - 4);
            s.recordLength = word(last - 3);
            s.recordWords = static_cast<std::size_t>(word(last - 2));
            s.records = static_cast<std::size_t>(word(last - 1));
            segments.push_back(s);
        }
        record = next;
    }
    return !segments.empty();
}

/// Source   Chebyshev sums by Clenshaw's recurrence: Press et al. 2007, Numerical Recipes, sec. 5.8.
Result<Planets::State> Planets::File::relative(int target, double seconds) const {
    const auto segment = std::find_if(segments.rbegin(), segments.rend(), [&](const Segment& s) {
        return s.target == target && seconds >= s.start && seconds <= s.end;
    });
    if (segment == segments.rend()) {
        return fail(
            ErrorId::OrbitOutsideEphemeris,
            fmt::format("The planets' file has no place of body {} at Julian date {:.1f}; give one "
                        "that covers the night.",
                        target,
                        2451545.0 + seconds / kSecondsPerDay),
            path.string());
    }
    const Segment& s = *segment;
    const auto index = std::min(
        s.records - 1,
        static_cast<std::size_t>(std::max(0.0, (seconds - s.recordStart) / s.recordLength)));
    const std::size_t base = s.firstWord + index * s.recordWords;
    const double middle = word(base);
    const double radius = word(base + 1);
    const double x = (seconds - middle) / radius;
    const std::size_t sets = s.type == 2 ? 3 : 6;
    const std::size_t n = (s.recordWords - 2) / sets;
    State state;
    for (std::size_t axis = 0; axis < 3; ++axis) {
        double b1 = 0.0;
        double b2 = 0.0;
        double d1 = 0.0;
        double d2 = 0.0;
        for (std::size_t k = n; k-- > 1;) {
            const double d0 = 2.0 * x * d1 - d2 + 2.0 * b1;
            const double b0 = 2.0 * x * b1 - b2 + word(base + 2 + axis * n + k);
            d2 = d1;
            d1 = d0;
            b2 = b1;
            b1 = b0;
        }
        const double c0 = word(base + 2 + axis * n);
        state.position[axis] = (x * b1 - b2 + c0) / kKilometresPerAu;
        state.velocity[axis] = (b1 + x * d1 - d2) / radius / kKilometresPerAu * kSecondsPerDay;
    }
    // The Moon is kept relative to the barycentre of Earth and Moon; the caller adds.
    if (s.centre != kBarycentre && target != kMoon) {
        auto origin = relative(s.centre, seconds);
        if (!origin) {
            return origin;
        }
        state.position = state.position + origin->position;
        state.velocity = state.velocity + origin->velocity;
    }
    return state;
}

Planets::Planets() : file_(std::make_unique<File>()) {}

Planets::Planets(Planets&&) noexcept = default;
Planets& Planets::operator=(Planets&&) noexcept = default;
Planets::~Planets() = default;

Result<Planets> Planets::open(const std::filesystem::path& path) {
    Planets planets;
    planets.file_->path = path;
    std::ifstream stream(path, std::ios::binary);
    planets.file_->bytes.assign(std::istreambuf_iterator<char>(stream), {});
    if (!planets.file_->readDirectory()) {
        return fail(ErrorId::OrbitNotReadable,
                    "The planets' file is missing or no SPK kernel of type 2 or 3.",
                    path.string());
    }
    return planets;
}

namespace {

double secondsPastJ2000(const Tdb& time) {
    return time.secondsSince(Tdb::julian(2451545.0));
}

} // namespace

Result<Planets::State> Planets::sun(const Tdb& time) const {
    return file_->relative(kSun, secondsPastJ2000(time));
}

Result<Planets::State> Planets::earth(const Tdb& time) const {
    const double seconds = secondsPastJ2000(time);
    auto pair = file_->relative(kEarthMoon, seconds);
    auto moon = file_->relative(kMoon, seconds);
    if (!pair || !moon) {
        return pair ? moon : pair;
    }
    const double share = -1.0 / kEarthMoonMassRatio;
    return State{pair->position + share * moon->position, pair->velocity + share * moon->velocity};
}

} // namespace pathmark::orbit
