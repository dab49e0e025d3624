#include "core/identify/orbit_catalog.h"

#include "core/base/atomic_file.h"
#include "core/base/hash.h"
#include "core/orbit/body_id.h"
#include "core/orbit/formats/orbit_file.h"
#include "core/orbit/formats/orbit_table.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cmath>
#include <cstring>
#include <fstream>
#include <limits>
#include <unordered_map>

namespace pathmark::identify {
namespace {

constexpr char kMagic[8] = {'P', 'M', 'O', 'R', 'B', 'I', 'T', '2'};
constexpr double kNone = std::numeric_limits<double>::quiet_NaN();

struct Head {
    char magic[8];
    std::uint64_t orbits;
    std::uint64_t nameBytes;
    std::uint64_t extraBytes; ///< of a full-precision table with what the records have no room for
};

/// One orbit of the index.
struct Record {
    double epoch[2]; ///< Julian date TDB, day and fraction
    double perihelion[2];
    double q, e, inclination, node, argument; ///< au, radians
    double h, g, g2, m1, k1, runoff;          ///< NaN where there is none
    std::uint64_t name; ///< start of the name in the names; the packed form follows it
};

double orNone(const std::optional<double>& value) {
    return value.value_or(kNone);
}

std::optional<double> unlessNone(double value) {
    return std::isnan(value) ? std::nullopt : std::optional(value);
}

Record recordOf(const orbit::Elements& e, std::uint64_t name) {
    return {{e.epoch.day(), e.epoch.fraction()},
            {e.perihelionTime.day(), e.perihelionTime.fraction()},
            e.perihelionAu,
            e.eccentricity,
            e.inclination.radians(),
            e.node.radians(),
            e.argument.radians(),
            orNone(e.brightness.h),
            e.brightness.g,
            orNone(e.brightness.g2),
            orNone(e.brightness.m1),
            e.brightness.k1,
            orNone(e.runoffArcsecPerDecade),
            name};
}

orbit::Elements elementsOf(const Record& r) {
    orbit::Elements e;
    e.epoch = Tdb::julian(r.epoch[0], r.epoch[1]);
    e.perihelionTime = Tdb::julian(r.perihelion[0], r.perihelion[1]);
    e.perihelionAu = r.q;
    e.eccentricity = r.e;
    e.inclination = Angle::radians(r.inclination);
    e.node = Angle::radians(r.node);
    e.argument = Angle::radians(r.argument);
    e.brightness = {unlessNone(r.h), r.g, unlessNone(r.g2), unlessNone(r.m1), r.k1};
    e.runoffArcsecPerDecade = unlessNone(r.runoff);
    return e;
}

/// The files' names, sizes and dates of change: the index is good while none of them differs.
std::string keyOf(std::span<const std::filesystem::path> files) {
    Digest digest;
    for (const auto& file : files) {
        struct stat status {};

        ::stat(file.c_str(), &status);
        std::error_code ignored;
        digest.add(std::filesystem::absolute(file, ignored).string());
        digest.add(
            fmt::format("{} {}.{}", status.st_size, status.st_mtim.tv_sec, status.st_mtim.tv_nsec));
    }
    return digest.hex();
}

} // namespace

struct OrbitCatalog::Store {
    // In memory.
    std::vector<orbit::Elements> orbits;
    std::vector<double> block;
    // Mapped.
    void* mapped = nullptr;
    std::size_t bytes = 0;
    const Record* records = nullptr;
    const char* names = nullptr;
    std::unordered_map<std::string, orbit::Elements> extras;

    Store() = default;
    Store(const Store&) = delete;
    Store& operator=(const Store&) = delete;

    ~Store() {
        if (mapped != nullptr) {
            ::munmap(mapped, bytes);
        }
    }

    bool map(const std::filesystem::path& path, OrbitColumns& columns);
};

bool OrbitCatalog::Store::map(const std::filesystem::path& path, OrbitColumns& columns) {
    const int handle = ::open(path.c_str(), O_RDONLY | O_CLOEXEC);
    if (handle < 0) {
        return false;
    }

    struct stat status {};

    if (::fstat(handle, &status) == 0 && static_cast<std::size_t>(status.st_size) >= sizeof(Head)) {
        bytes = static_cast<std::size_t>(status.st_size);
        mapped = ::mmap(nullptr, bytes, PROT_READ, MAP_SHARED, handle, 0);
        mapped = mapped == MAP_FAILED ? nullptr : mapped;
    }
    ::close(handle);
    if (mapped == nullptr) {
        return false;
    }
    Head head{};
    const char* start = static_cast<const char*>(mapped);
    std::memcpy(&head, start, sizeof(head));
    const std::size_t columnBytes = head.orbits * OrbitColumns::kCount * sizeof(double);
    const std::size_t recordBytes = head.orbits * sizeof(Record);
    if (std::memcmp(head.magic, kMagic, sizeof(kMagic)) != 0 || head.orbits > bytes ||
        sizeof(head) + columnBytes + recordBytes + head.nameBytes + head.extraBytes != bytes) {
        return false;
    }
    const char* at = start + sizeof(head);
    columns = OrbitColumns::over(reinterpret_cast<const double*>(at), head.orbits);
    records = reinterpret_cast<const Record*>(at + columnBytes);
    names = at + columnBytes + recordBytes;
    const std::string_view table(names + head.nameBytes, head.extraBytes);
    if (!table.empty()) {
        auto list = orbit::parseOrbitJson(table);
        if (!list) {
            return false;
        }
        for (auto& e : list->orbits) {
            extras.emplace(e.name, std::move(e));
        }
    }
    return true;
}

namespace {

Result<bool> writeIndex(const std::filesystem::path& path,
                        std::span<const orbit::Elements> orbits,
                        std::span<const double> block) {
    std::string names;
    std::vector<Record> records;
    std::vector<orbit::Elements> extras;
    records.reserve(orbits.size());
    names.reserve(20 * orbits.size());
    for (const orbit::Elements& e : orbits) {
        records.push_back(recordOf(e, names.size()));
        names.append(e.name).push_back('\0');
        names.append(e.packed).push_back('\0');
        if (e.outgassing || e.covariance) {
            extras.push_back(e);
        }
    }
    const std::string table = extras.empty() ? std::string() : orbit::toOrbitTable(extras);
    Head head{{}, orbits.size(), names.size(), table.size()};
    std::memcpy(head.magic, kMagic, sizeof(kMagic));
    return writeWhole(path, [&](const std::filesystem::path& temporary) -> Result<bool> {
        std::ofstream out(temporary, std::ios::binary);
        const auto put = [&](const void* data, std::size_t size) {
            out.write(static_cast<const char*>(data), static_cast<std::streamsize>(size));
        };
        put(&head, sizeof(head));
        put(block.data(), block.size_bytes());
        put(records.data(), records.size() * sizeof(Record));
        put(names.data(), names.size());
        put(table.data(), table.size());
        out.flush();
        if (!out) {
            return fail(ErrorId::BaseCannotWrite,
                        "The index of orbits cannot be written; is the disk full?",
                        path.string());
        }
        return true;
    });
}

} // namespace

OrbitCatalog::OrbitCatalog() : store_(std::make_unique<Store>()) {}

OrbitCatalog::OrbitCatalog(OrbitCatalog&&) noexcept = default;
OrbitCatalog& OrbitCatalog::operator=(OrbitCatalog&&) noexcept = default;
OrbitCatalog::~OrbitCatalog() = default;

OrbitCatalog OrbitCatalog::make(std::vector<orbit::Elements> orbits) {
    OrbitCatalog catalog;
    catalog.store_->orbits = std::move(orbits);
    catalog.store_->block = makeColumns(catalog.store_->orbits);
    catalog.columns_ =
        OrbitColumns::over(catalog.store_->block.data(), catalog.store_->orbits.size());
    return catalog;
}

Result<OrbitCatalog> OrbitCatalog::open(std::span<const std::filesystem::path> files,
                                        const std::filesystem::path& indexFolder,
                                        const Job& job,
                                        Reading& reading) {
    const std::filesystem::path path =
        indexFolder.empty() ? indexFolder : indexFolder / ("orbits-" + keyOf(files) + ".index");
    if (!path.empty()) {
        OrbitCatalog catalog;
        if (catalog.store_->map(path, catalog.columns_)) {
            reading.fromIndex = true;
            return catalog;
        }
    }
    job.progress("Reading orbits", 0, 1);
    auto list = orbit::readOrbitFiles(files);
    if (!list) {
        return fail(list.error());
    }
    reading.badLines = std::move(list->badLines);
    reading.duplicates = list->duplicates;
    OrbitCatalog catalog = make(std::move(list->orbits));
    if (!path.empty()) {
        auto written = makeFolder(indexFolder);
        if (written) {
            written = writeIndex(path, catalog.store_->orbits, catalog.store_->block);
        }
        if (!written) {
            job.message("The index of orbits is not kept: " + toMessage(written.error()));
        }
    }
    return catalog;
}

std::string_view OrbitCatalog::name(std::size_t i) const {
    return store_->records == nullptr ? std::string_view(store_->orbits[i].name)
                                      : std::string_view(store_->names + store_->records[i].name);
}

orbit::Elements OrbitCatalog::elements(std::size_t i) const {
    if (store_->records == nullptr) {
        return store_->orbits[i];
    }
    orbit::Elements e = elementsOf(store_->records[i]);
    e.name = name(i);
    e.packed = store_->names + store_->records[i].name + e.name.size() + 1;
    if (const auto extra = store_->extras.find(e.name); extra != store_->extras.end()) {
        e.outgassing = extra->second.outgassing;
        e.covariance = extra->second.covariance;
    }
    return e;
}

std::optional<std::size_t> OrbitCatalog::find(std::string_view wanted) const {
    const std::string plain = orbit::BodyId::of(wanted).text();
    for (std::size_t i = 0; i < size(); ++i) {
        const std::string_view own = name(i);
        if (own == wanted || own == plain) {
            return i;
        }
        // A designation with a name behind it.
        if (own.size() > plain.size() && own.starts_with(plain) &&
            orbit::BodyId::of(own).text() == plain) {
            return i;
        }
        const std::string_view packed = store_->records == nullptr
                                            ? std::string_view(store_->orbits[i].packed)
                                            : std::string_view(own.data() + own.size() + 1);
        if (packed == wanted) {
            return i;
        }
    }
    return std::nullopt;
}

OrbitCatalog::Shape OrbitCatalog::shape(std::size_t i) const {
    if (store_->records != nullptr) {
        const Record& r = store_->records[i];
        return {(r.epoch[0] - OrbitColumns::kOrigin) + r.epoch[1], r.q, r.e, unlessNone(r.runoff)};
    }
    const orbit::Elements& e = store_->orbits[i];
    return {e.epoch.secondsSince(Tdb::julian(OrbitColumns::kOrigin)) / kSecondsPerDay,
            e.perihelionAu,
            e.eccentricity,
            e.runoffArcsecPerDecade};
}

} // namespace pathmark::identify
