#include "core/night/night_file.h"

#include "core/base/hash.h"
#include "core/frame/fits_file.h"

#include <SQLiteCpp/SQLiteCpp.h>
#include <fmt/format.h>
#include <nlohmann/json.hpp>
#include <sys/stat.h>

#include <functional>

namespace pathmark::night {
namespace fs = std::filesystem;

namespace {

constexpr int kVersion = 2;

constexpr const char* kSchema = R"(
CREATE TABLE IF NOT EXISTS setting (key TEXT PRIMARY KEY, value TEXT NOT NULL);
CREATE TABLE IF NOT EXISTS frame (path TEXT PRIMARY KEY, info TEXT NOT NULL);
CREATE TABLE IF NOT EXISTS excluded (path TEXT PRIMARY KEY);
CREATE TABLE IF NOT EXISTS digest (path TEXT PRIMARY KEY, size INTEGER, changed INTEGER, value TEXT);
CREATE TABLE IF NOT EXISTS product (key TEXT PRIMARY KEY, kind TEXT, path TEXT, info TEXT);
CREATE TABLE IF NOT EXISTS light (place INTEGER PRIMARY KEY, info TEXT NOT NULL);
CREATE TABLE IF NOT EXISTS source (frame TEXT PRIMARY KEY, packed BLOB NOT NULL);
CREATE TABLE IF NOT EXISTS track (place INTEGER PRIMARY KEY, info TEXT NOT NULL);
CREATE TABLE IF NOT EXISTS prediction (place INTEGER PRIMARY KEY, info TEXT NOT NULL);
CREATE TABLE IF NOT EXISTS measurement (place INTEGER PRIMARY KEY, info TEXT NOT NULL);
CREATE TABLE IF NOT EXISTS decision (id TEXT PRIMARY KEY, state TEXT NOT NULL, reason TEXT NOT NULL);
)";

} // namespace

struct NightFile::Database {
    fs::path path;
    SQLite::Database sqlite;

    explicit Database(const fs::path& file)
        : path(file), sqlite(file.string(), SQLite::OPEN_READWRITE | SQLite::OPEN_CREATE, 10000) {}

    /// Runs `change` as one transaction; the library's exceptions become ours here.
    Result<bool> transact(const std::function<void()>& change) {
        try {
            SQLite::Transaction transaction(sqlite);
            change();
            transaction.commit();
            return true;
        } catch (const SQLite::Exception& error) {
            return fail(
                ErrorId::NightCannotStore,
                fmt::format("The night file cannot be written ({}); free space or check the "
                            "folder, then run again.",
                            error.what()),
                path.string());
        }
    }

    Result<bool> replaceList(const std::string& table, const std::vector<std::string>& rows) {
        return transact([&] {
            sqlite.exec("DELETE FROM " + table);
            SQLite::Statement insert(sqlite,
                                     "INSERT INTO " + table + " (place, info) VALUES (?, ?)");
            for (std::size_t i = 0; i < rows.size(); ++i) {
                insert.bind(1, static_cast<std::int64_t>(i));
                insert.bind(2, rows[i]);
                insert.exec();
                insert.reset();
            }
        });
    }

    template <typename Record>
    [[nodiscard]] std::vector<Record> readList(const std::string& sql,
                                               Record (*parse)(const nlohmann::json&)) const {
        std::vector<Record> records;
        SQLite::Statement query(sqlite, sql);
        while (query.executeStep()) {
            records.push_back(parse(nlohmann::json::parse(query.getColumn(0).getString())));
        }
        return records;
    }
};

NightFile::NightFile() = default;
NightFile::NightFile(NightFile&&) noexcept = default;
NightFile& NightFile::operator=(NightFile&&) noexcept = default;
NightFile::~NightFile() = default;

Result<NightFile> NightFile::open(const fs::path& path) {
    NightFile file;
    try {
        file.database_ = std::make_unique<Database>(path);
        SQLite::Database& db = file.database_->sqlite;
        const int version = db.execAndGet("PRAGMA user_version").getInt();
        if (version != 0 && version != kVersion) {
            return fail(
                ErrorId::NightFileDamaged,
                fmt::format("This night file is of version {}; this program writes version {}. "
                            "Give another file name.",
                            version,
                            kVersion),
                path.string());
        }
        db.exec("PRAGMA journal_mode = WAL");
        db.exec("PRAGMA synchronous = NORMAL");
        db.exec(kSchema);
        db.exec(fmt::format("PRAGMA user_version = {}", kVersion));
    } catch (const SQLite::Exception& error) {
        const bool foreign = error.getErrorCode() == 26 || error.getErrorCode() == 11;
        return fail(foreign ? ErrorId::NightFileDamaged : ErrorId::NightCannotStore,
                    foreign
                        ? std::string("This is no night file, or it is damaged; give another name.")
                        : fmt::format("The night file cannot be opened for writing ({}); choose a "
                                      "folder that you may write to.",
                                      error.what()),
                    path.string());
    }
    return file;
}

const fs::path& NightFile::path() const {
    return database_->path;
}

Result<bool> NightFile::setSetting(const std::string& key, const std::string& value) {
    return database_->transact([&] {
        SQLite::Statement insert(database_->sqlite, "INSERT OR REPLACE INTO setting VALUES (?, ?)");
        insert.bind(1, key);
        insert.bind(2, value);
        insert.exec();
    });
}

std::optional<std::string> NightFile::setting(const std::string& key) const {
    SQLite::Statement query(database_->sqlite, "SELECT value FROM setting WHERE key = ?");
    query.bind(1, key);
    return query.executeStep() ? std::optional(query.getColumn(0).getString()) : std::nullopt;
}

Result<bool> NightFile::replaceFrames(std::span<const frame::FrameInfo> frames) {
    return database_->transact([&] {
        database_->sqlite.exec("DELETE FROM frame");
        SQLite::Statement insert(database_->sqlite, "INSERT OR REPLACE INTO frame VALUES (?, ?)");
        for (const auto& info : frames) {
            insert.bind(1, info.path.string());
            insert.bind(2, toJson(info).dump());
            insert.exec();
            insert.reset();
        }
    });
}

std::vector<frame::FrameInfo> NightFile::frames() const {
    return database_->readList("SELECT info FROM frame ORDER BY path", &frameInfoFromJson);
}

Result<bool> NightFile::setExcluded(const fs::path& frame, bool excluded) {
    return database_->transact([&] {
        SQLite::Statement change(database_->sqlite,
                                 excluded ? "INSERT OR REPLACE INTO excluded VALUES (?)"
                                          : "DELETE FROM excluded WHERE path = ?");
        change.bind(1, frame.string());
        change.exec();
    });
}

bool NightFile::isExcluded(const fs::path& frame) const {
    SQLite::Statement query(database_->sqlite, "SELECT 1 FROM excluded WHERE path = ?");
    query.bind(1, frame.string());
    return query.executeStep();
}

Result<std::string> NightFile::fileDigest(const fs::path& path) {
    struct stat status {};

    if (::stat(path.c_str(), &status) == 0) {
        SQLite::Statement query(
            database_->sqlite,
            "SELECT value FROM digest WHERE path = ? AND size = ? AND changed = ?");
        const std::int64_t changed =
            static_cast<std::int64_t>(status.st_mtim.tv_sec) * 1'000'000'000 +
            status.st_mtim.tv_nsec;
        query.bind(1, path.string());
        query.bind(2, static_cast<std::int64_t>(status.st_size));
        query.bind(3, changed);
        if (query.executeStep()) {
            return query.getColumn(0).getString();
        }
        auto digest = contentHash(path);
        if (!digest) {
            return digest;
        }
        auto stored = database_->transact([&] {
            SQLite::Statement insert(database_->sqlite,
                                     "INSERT OR REPLACE INTO digest VALUES (?, ?, ?, ?)");
            insert.bind(1, path.string());
            insert.bind(2, static_cast<std::int64_t>(status.st_size));
            insert.bind(3, changed);
            insert.bind(4, *digest);
            insert.exec();
        });
        if (!stored) {
            return fail(stored.error());
        }
        return digest;
    }
    return contentHash(path);
}

Result<bool> NightFile::putProduct(const Product& product) {
    return database_->transact([&] {
        SQLite::Statement insert(database_->sqlite,
                                 "INSERT OR REPLACE INTO product VALUES (?, ?, ?, ?)");
        insert.bind(1, product.key);
        insert.bind(2, product.kind);
        insert.bind(3, product.path.string());
        insert.bind(4, product.info);
        insert.exec();
    });
}

std::optional<Product> NightFile::product(const std::string& key) const {
    SQLite::Statement query(database_->sqlite,
                            "SELECT kind, path, info FROM product WHERE key = ?");
    query.bind(1, key);
    if (!query.executeStep()) {
        return std::nullopt;
    }
    Product product{key,
                    query.getColumn(0).getString(),
                    query.getColumn(1).getString(),
                    query.getColumn(2).getString()};
    // Another key may have been written to the same name since, or the file be gone.
    const auto header = frame::readFitsHeader(product.path);
    if (!header || header->text("PMKEY") != key) {
        return std::nullopt;
    }
    return product;
}

namespace {

template <typename Record>
std::vector<std::string> dumpAll(std::span<const Record> records) {
    std::vector<std::string> rows;
    rows.reserve(records.size());
    for (const Record& record : records) {
        rows.push_back(toJson(record).dump());
    }
    return rows;
}

} // namespace

Result<bool> NightFile::replaceLights(std::span<const LightRecord> lights) {
    return database_->replaceList("light", dumpAll(lights));
}

std::vector<LightRecord> NightFile::lights() const {
    return database_->readList("SELECT info FROM light ORDER BY place", &lightFromJson);
}

Result<bool> NightFile::putSources(const fs::path& frame, std::span<const SourceRecord> sources) {
    const std::string packed = packSources(sources);
    return database_->transact([&] {
        SQLite::Statement insert(database_->sqlite, "INSERT OR REPLACE INTO source VALUES (?, ?)");
        insert.bind(1, frame.string());
        insert.bind(2, packed.data(), static_cast<int>(packed.size()));
        insert.exec();
    });
}

std::vector<SourceRecord> NightFile::sources(const fs::path& frame) const {
    SQLite::Statement query(database_->sqlite, "SELECT packed FROM source WHERE frame = ?");
    query.bind(1, frame.string());
    if (!query.executeStep()) {
        return {};
    }
    const SQLite::Column packed = query.getColumn(0);
    return unpackSources(
        {static_cast<const char*>(packed.getBlob()), static_cast<std::size_t>(packed.getBytes())});
}

Result<bool> NightFile::replaceTracks(std::span<const TrackRecord> tracks) {
    return database_->replaceList("track", dumpAll(tracks));
}

std::vector<TrackRecord> NightFile::tracks() const {
    return database_->readList("SELECT info FROM track ORDER BY place", &trackFromJson);
}

Result<bool> NightFile::replacePredictions(std::span<const PredictionRecord> predictions) {
    return database_->replaceList("prediction", dumpAll(predictions));
}

std::vector<PredictionRecord> NightFile::predictions() const {
    return database_->readList("SELECT info FROM prediction ORDER BY place", &predictionFromJson);
}

Result<bool> NightFile::replaceMeasurements(std::span<const MeasurementRecord> measurements) {
    return database_->replaceList("measurement", dumpAll(measurements));
}

std::vector<MeasurementRecord> NightFile::measurements() const {
    auto records =
        database_->readList("SELECT info FROM measurement ORDER BY place", &measurementFromJson);
    for (MeasurementRecord& record : records) {
        SQLite::Statement query(database_->sqlite,
                                "SELECT state, reason FROM decision WHERE id = ?");
        query.bind(1, record.id);
        if (query.executeStep()) {
            record.state =
                measurementStateNamed(query.getColumn(0).getString()).value_or(record.state);
            record.reason = query.getColumn(1).getString();
        }
    }
    return records;
}

Result<bool>
NightFile::decide(const std::string& id, MeasurementState state, const std::string& reason) {
    return database_->transact([&] {
        SQLite::Statement insert(database_->sqlite,
                                 "INSERT OR REPLACE INTO decision VALUES (?, ?, ?)");
        insert.bind(1, id);
        insert.bind(2, std::string(name(state)));
        insert.bind(3, reason);
        insert.exec();
    });
}

} // namespace pathmark::night
