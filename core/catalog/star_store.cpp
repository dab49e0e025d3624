#include "core/catalog/star_store.h"

#include "core/catalog/store_format.h"

#include <erfa.h>
#include <fcntl.h>
#include <fmt/format.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <tuple>

namespace pathmark::catalog {
namespace fs = std::filesystem;

namespace {

// 41253 square degrees in 49152 tiles.
constexpr double kTileSquareDegrees = 0.8393;

tl::unexpected<Error> noStars(const SkyPos& centre) {
    return fail(ErrorId::CatalogNoStars,
                fmt::format("The star catalogue has no stars around RA {:.3f} Dec {:+.3f}; import "
                            "one that covers the field.",
                            centre.longitude.degrees(),
                            centre.latitude.degrees()));
}

/// Where the Earth is, barycentric ICRS in au.
Vec3 earthAt(const Utc& date) {
    double heliocentric[2][3];
    double barycentric[2][3];
    const Tdb tdb = toTdb(date);
    eraEpv00(tdb.day(), tdb.fraction(), heliocentric, barycentric);
    return {barycentric[0][0], barycentric[0][1], barycentric[0][2]};
}

/// Source   Proper motion and parallax to first order: ESA 1997, Hipparcos Catalogue vol. 1, sec. 1.2.8.
Star moveTo(const StarRow& row, double year, const Vec3& earth) {
    const SkyPos start = skyDegrees(row.raDegrees, row.decDegrees);
    const double ra = start.longitude.radians();
    const double dec = start.latitude.radians();
    const Vec3 east{-std::sin(ra), std::cos(ra), 0.0};
    const Vec3 north{-std::sin(dec) * std::cos(ra), -std::sin(dec) * std::sin(ra), std::cos(dec)};
    const auto known = [](float v) { return std::isfinite(v) ? static_cast<double>(v) : 0.0; };
    const double years = year - static_cast<double>(row.refEpoch);
    const double mas = kRadiansPerArcsec * 1e-3;
    const double xi = known(row.pmRaMasPerYear) * years * mas;
    const double eta = known(row.pmDecMasPerYear) * years * mas;
    Vec3 direction = start.vector() + xi * east + eta * north;
    // A star's parallax is never negative; what the catalogue says below zero is noise.
    const double parallax = std::max(0.0, known(row.parallaxMas)) * mas;
    direction = direction - parallax * earth;
    Star star;
    star.place = SkyPos::fromVector(direction);
    // Errors of the proper motion are not stored; a fifth of the position's a year is typical of them.
    const double position = 0.5 * (known(row.raErrorMas) + known(row.decErrorMas)) * 1e-3;
    star.errorArcsec = std::hypot(std::max(position, 1e-4), 0.2 * position * years);
    star.magG = static_cast<double>(row.magG);
    star.colour = static_cast<double>(row.magBp) - static_cast<double>(row.magRp);
    star.sourceId = row.sourceId;
    return star;
}

} // namespace

struct StarStore::Mapping {
    void* address = MAP_FAILED;
    std::size_t size = 0;

    Mapping() = default;
    Mapping(const Mapping&) = delete;
    Mapping& operator=(const Mapping&) = delete;

    ~Mapping() {
        if (address != MAP_FAILED) {
            ::munmap(address, size);
        }
    }

    [[nodiscard]] const StoreHeader& header() const {
        return *static_cast<const StoreHeader*>(address);
    }

    [[nodiscard]] std::span<const std::uint64_t> tileStarts() const {
        const auto* bytes = static_cast<const char*>(address) + sizeof(StoreHeader);
        return {reinterpret_cast<const std::uint64_t*>(bytes),
                static_cast<std::size_t>(tiles().Npix()) + 1};
    }

    [[nodiscard]] std::span<const StarRow> rows() const {
        const auto* bytes =
            static_cast<const char*>(address) + sizeof(StoreHeader) + tileStarts().size_bytes();
        return {reinterpret_cast<const StarRow*>(bytes), static_cast<std::size_t>(header().rows)};
    }
};

StarStore::StarStore() : mapping_(std::make_unique<Mapping>()) {}

StarStore::StarStore(StarStore&&) noexcept = default;
StarStore& StarStore::operator=(StarStore&&) noexcept = default;
StarStore::~StarStore() = default;

Result<StarStore> StarStore::open(const fs::path& folder, const std::string& name) {
    const fs::path path = storePath(folder, name);
    const int handle = ::open(path.c_str(), O_RDONLY | O_CLOEXEC);
    if (handle < 0) {
        std::string known;
        for (const std::string& other : names(folder)) {
            known += (known.empty() ? " It has: " : ", ") + other;
        }
        return fail(ErrorId::CatalogNotFound,
                    fmt::format("There is no star catalogue '{}' in this store.{} Import one with "
                                "'pathmark catalog import'.",
                                name,
                                known.empty() ? known : known + "."),
                    folder.string());
    }
    StarStore store;

    struct stat status {};

    ::fstat(handle, &status);
    store.mapping_->size = static_cast<std::size_t>(status.st_size);
    const std::size_t least = sizeof(StoreHeader) + (static_cast<std::size_t>(tiles().Npix()) + 1) *
                                                        sizeof(std::uint64_t);
    if (store.mapping_->size >= least) {
        store.mapping_->address =
            ::mmap(nullptr, store.mapping_->size, PROT_READ, MAP_PRIVATE, handle, 0);
    }
    ::close(handle);
    const Mapping& mapping = *store.mapping_;
    if (mapping.address == MAP_FAILED || mapping.header().magic != kStoreMagic ||
        mapping.header().order != kTileOrder || mapping.header().rowSize != sizeof(StarRow) ||
        mapping.size != least + mapping.header().rows * sizeof(StarRow)) {
        return fail(ErrorId::CatalogNotFound,
                    "This star catalogue is damaged or of another version; import it again.",
                    path.string());
    }
    store.digest_ = std::string(mapping.header().digest.data(), 32);
    return store;
}

std::uint64_t StarStore::starCount() const {
    return mapping_->header().rows;
}

std::vector<Star> StarStore::collect(const SkyPos& centre,
                                     Angle radius,
                                     const Utc& date,
                                     double faintestG,
                                     std::uint64_t mostPerTile) const {
    rangeset<int> ranges;
    tiles().query_disc_inclusive(toPointing(centre), radius.radians(), ranges, 4);
    const auto starts = mapping_->tileStarts();
    const auto rows = mapping_->rows();
    const Vec3 middle = centre.vector();
    const Vec3 earth = earthAt(date);
    const double year = 2000.0 + (date.julian() - 2451545.0) / 365.25;
    // A little more, for stars that have moved into the field.
    const double limit = std::cos(std::min(std::numbers::pi, radius.radians() + 1e-4));
    std::vector<Star> stars;
    for (std::size_t r = 0; r < ranges.nranges(); ++r) {
        for (int tile = ranges.ivbegin(r); tile < ranges.ivend(r); ++tile) {
            const auto first = starts[static_cast<std::size_t>(tile)];
            const auto end =
                std::min(starts[static_cast<std::size_t>(tile) + 1], first + mostPerTile);
            for (auto i = first; i < end; ++i) {
                const StarRow& row = rows[i];
                if (static_cast<double>(row.magG) > faintestG) {
                    break; // brightest first inside a tile
                }
                if (dot(skyDegrees(row.raDegrees, row.decDegrees).vector(), middle) >= limit) {
                    stars.push_back(moveTo(row, year, earth));
                }
            }
        }
    }
    std::sort(stars.begin(), stars.end(), [](const Star& a, const Star& b) {
        return std::tuple(a.magG, a.sourceId, a.place.longitude) <
               std::tuple(b.magG, b.sourceId, b.place.longitude);
    });
    return stars;
}

Result<std::vector<Star>>
StarStore::field(const SkyPos& centre, Angle radius, const Utc& date, double faintestG) const {
    auto stars = collect(centre, radius, date, faintestG, ~0ULL / 2);
    if (stars.empty()) {
        return noStars(centre);
    }
    return stars;
}

Result<std::vector<Star>> StarStore::brightest(const SkyPos& centre,
                                               Angle radius,
                                               const Utc& date,
                                               double perSquareDegree) const {
    const double perTile = std::ceil(perSquareDegree * kTileSquareDegrees);
    auto stars = collect(
        centre, radius, date, 99.0, static_cast<std::uint64_t>(std::clamp(perTile, 1.0, 1e12)));
    if (stars.empty()) {
        return noStars(centre);
    }
    return stars;
}

std::vector<Vec3> StarStore::brightestDirections(std::size_t most) const {
    const auto starts = mapping_->tileStarts();
    std::uint64_t occupied = 0;
    for (std::size_t tile = 0; tile + 1 < starts.size(); ++tile) {
        occupied += starts[tile + 1] > starts[tile] ? 1U : 0U;
    }
    const std::uint64_t perTile = most / std::max<std::uint64_t>(1, occupied) + 1;
    const auto rows = mapping_->rows();
    std::vector<std::pair<float, std::uint64_t>> order;
    for (std::size_t tile = 0; tile + 1 < starts.size(); ++tile) {
        for (auto i = starts[tile]; i < std::min(starts[tile + 1], starts[tile] + perTile); ++i) {
            order.emplace_back(rows[i].magG, i);
        }
    }
    std::sort(order.begin(), order.end());
    std::vector<Vec3> directions;
    directions.reserve(order.size());
    for (const auto& [magnitude, i] : order) {
        directions.push_back(skyDegrees(rows[i].raDegrees, rows[i].decDegrees).vector());
    }
    return directions;
}

std::vector<std::string> StarStore::names(const fs::path& folder) {
    std::vector<std::string> found;
    std::error_code status;
    for (const auto& entry : fs::directory_iterator(folder, status)) {
        if (entry.path().extension() == ".stars" &&
            !entry.path().stem().string().starts_with('.')) {
            found.push_back(entry.path().stem().string());
        }
    }
    std::sort(found.begin(), found.end());
    return found;
}

} // namespace pathmark::catalog
