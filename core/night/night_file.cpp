#include "core/night/night_file.h"

#include "core/base/parallel.h"
#include "core/frame/fits_file.h"
#include "core/night/frame_file.h"
#include "core/night/hand_measurements.h"
#include "core/night/night_database.h"
#include "core/night/record_fields.h"
#include "core/night/record_json.h"

#include <fmt/format.h>

namespace pathmark::night {
namespace fs = std::filesystem;

namespace {

/// Calls back with every path of a record.
template <typename Record, typename Change>
void eachPath(Record& record, const Change& change) {
    forEachField(record, [&](const char*, auto& value) {
        if constexpr (std::is_same_v<std::remove_reference_t<decltype(value)>, fs::path>) {
            change(value);
        }
    });
}

} // namespace

struct NightFile::Database {
    fs::path path;
    SQLite::Database sqlite;
    NightPlaces places;
    fs::path recipe;

    explicit Database(const fs::path& file)
        : path(file), sqlite(file.string(), SQLite::OPEN_READWRITE | SQLite::OPEN_CREATE, 10000) {}

    Result<bool> change(const std::function<void()>& what) { return transact(sqlite, path, what); }

    /// The same, and on the disk when it returns; a change lost with the machine's power is made again elsewhere.
    Result<bool> changeForGood(const std::function<void()>& what) {
        try {
            sqlite.exec("PRAGMA synchronous = FULL");
        } catch (const std::exception& error) {
            return fail(databaseError(error, path, true));
        }
        auto done = transact(sqlite, path, what);
        sqlite.tryExec("PRAGMA synchronous = NORMAL");
        return done;
    }

    [[nodiscard]] std::string setting(const std::string& key) const {
        SQLite::Statement query(sqlite, "SELECT value FROM setting WHERE key = ?");
        query.bind(1, key);
        return query.executeStep() ? query.getColumn(0).getString() : std::string();
    }

    void setSetting(const std::string& key, const std::string& value) {
        SQLite::Statement insert(sqlite, "INSERT OR REPLACE INTO setting VALUES (?, ?)");
        insert.bind(1, key);
        insert.bind(2, value);
        insert.exec();
    }

    void findPlaces() {
        const fs::path own = path.parent_path();
        const std::string folder = setting("folder");
        const std::string out = setting("out");
        places.out = out.empty() ? own : foundFolder(out, own, {});
        // The folder is the right one where it holds the night's first frame.
        SQLite::Statement first(
            sqlite, "SELECT path FROM frame WHERE path LIKE '@folder/%' ORDER BY path LIMIT 1");
        fs::path witness;
        if (first.executeStep()) {
            witness = pathFrom(first.getColumn(0).getString()).lexically_relative("@folder");
        }
        places.folder = folder.empty() ? own : foundFolder(folder, own, witness);
        recipe = places.resolved(pathFrom(setting("recipe")));
        const auto only = nlohmann::json::parse(setting("only"), nullptr, false);
        if (only.is_array()) {
            for (const auto& one : only) {
                places.only.push_back(places.resolved(pathFrom(one.get<std::string>())));
            }
        }
    }

    /// A record as it is stored: its paths kept relative to the night's folders.
    template <typename Record>
    [[nodiscard]] std::string dump(Record record) const {
        eachPath(record, [&](fs::path& one) { one = places.stored(one); });
        return record_json::write(record).dump(
            -1, ' ', false, nlohmann::json::error_handler_t::replace);
    }

    template <typename Record>
    [[nodiscard]] Record parse(const std::string& text) const {
        auto record = record_json::read<Record>(nlohmann::json::parse(text));
        eachPath(record, [&](fs::path& one) { one = places.resolved(one); });
        return record;
    }

    template <typename Record>
    [[nodiscard]] Result<std::vector<Record>> readList(const std::string& sql) const {
        return reading(path, [&] {
            std::vector<Record> records;
            SQLite::Statement query(sqlite, sql);
            while (query.executeStep()) {
                records.push_back(parse<Record>(query.getColumn(0).getString()));
            }
            return records;
        });
    }

    /// Takes the latest acts in force out of it, or the earliest undone ones back into it.
    Result<std::vector<Act>> turn(int count, bool intoForce) {
        std::vector<Act> acts;
        auto done = change([&] {
            SQLite::Statement query(sqlite,
                                    fmt::format("SELECT number, words, decisions FROM act WHERE "
                                                "in_force = ? ORDER BY number {} LIMIT ?",
                                                intoForce ? "ASC" : "DESC"));
            SQLite::Statement update(sqlite, "UPDATE act SET in_force = ? WHERE number = ?");
            query.bind(1, intoForce ? 0 : 1);
            query.bind(2, count);
            while (query.executeStep()) {
                acts.push_back({query.getColumn(1).getString(),
                                decisionsFrom(query.getColumn(2).getString())});
                update.bind(1, intoForce ? 1 : 0);
                update.bind(2, query.getColumn(0).getInt64());
                update.exec();
                update.reset();
            }
        });
        return done ? Result<std::vector<Act>>(std::move(acts)) : fail(done.error());
    }

    /// Replaces the rows of a table that have a place, columns and the record's text. `bind` fills the columns.
    template <typename Record>
    Result<bool> replaceList(const std::string& table,
                             const std::string& columns,
                             std::span<const Record> records,
                             const std::function<int(SQLite::Statement&, const Record&)>& bind) {
        return change([&] {
            sqlite.exec("DELETE FROM " + table);
            std::string marks;
            for (const char c : columns) {
                marks += c == ',' ? ", ?" : "";
            }
            SQLite::Statement insert(
                sqlite,
                fmt::format(
                    "INSERT INTO {} ({}, place, info) VALUES (?{}, ?, ?)", table, columns, marks));
            for (std::size_t i = 0; i < records.size(); ++i) {
                const int next = bind(insert, records[i]);
                insert.bind(next, static_cast<std::int64_t>(i));
                insert.bind(next + 1, dump(records[i]));
                insert.exec();
                insert.reset();
            }
        });
    }
};

NightFile::NightFile() = default;
NightFile::NightFile(NightFile&&) noexcept = default;
NightFile& NightFile::operator=(NightFile&&) noexcept = default;
NightFile::~NightFile() = default;

Result<NightFile> NightFile::open(const fs::path& given) {
    const fs::path path = wholePath(given);
    NightFile file;
    try {
        file.database_ = std::make_unique<Database>(path);
        SQLite::Database& db = file.database_->sqlite;
        // A header alone says little: a page of zeros would be met in the middle of the night.
        if (db.execAndGet("PRAGMA quick_check(1)").getString() != "ok") {
            throw SQLite::Exception("database disk image is malformed", 11);
        }
        db.exec("PRAGMA journal_mode = WAL");
        db.exec("PRAGMA synchronous = NORMAL");
        if (auto ready = migrate(db, path); !ready) {
            return fail(ready.error());
        }
        file.database_->findPlaces();
    } catch (const std::exception& error) {
        return fail(databaseError(error, path, true));
    }
    return file;
}

const fs::path& NightFile::path() const {
    return database_->path;
}

const NightPlaces& NightFile::places() const {
    return database_->places;
}

fs::path NightFile::recipe() const {
    return database_->recipe;
}

Result<bool> NightFile::setPlaces(const NightPlaces& places, const fs::path& recipe) {
    Database& db = *database_;
    const fs::path own = db.path.parent_path();
    auto stored = db.change([&] {
        db.setSetting("folder", rememberedFolder(places.folder, own));
        db.setSetting("out", rememberedFolder(places.out, own));
        db.setSetting("recipe", pathText(places.stored(recipe)));
        nlohmann::json only = nlohmann::json::array();
        for (const fs::path& one : places.only) {
            only.push_back(pathText(places.stored(one)));
        }
        db.setSetting("only", only.dump());
    });
    if (stored) {
        db.places = places;
        db.recipe = recipe;
    }
    return stored;
}

Result<bool> NightFile::replaceFrames(std::span<const frame::FrameInfo> frames,
                                      const std::map<FrameId, SeriesId>& series) {
    Database& db = *database_;
    return db.change([&] {
        db.sqlite.exec("DELETE FROM frame");
        SQLite::Statement insert(
            db.sqlite, "INSERT OR REPLACE INTO frame (path, id, series, info) VALUES (?, ?, ?, ?)");
        for (const auto& info : frames) {
            const auto own = series.find(info.id);
            insert.bind(1, pathText(db.places.stored(info.path)));
            insert.bind(2, info.id.text());
            insert.bind(3, own == series.end() ? std::string() : own->second.text());
            insert.bind(4, db.dump(info));
            insert.exec();
            insert.reset();
        }
    });
}

Result<std::vector<frame::FrameInfo>> NightFile::frames() const {
    return database_->readList<frame::FrameInfo>("SELECT info FROM frame ORDER BY path");
}

Result<std::map<FrameId, SeriesId>> NightFile::seriesOfFrames() const {
    return reading(database_->path, [&] {
        std::map<FrameId, SeriesId> series;
        SQLite::Statement query(database_->sqlite,
                                "SELECT id, series FROM frame WHERE id <> '' AND series <> ''");
        while (query.executeStep()) {
            series[FrameId(query.getColumn(0).getString())] =
                SeriesId(query.getColumn(1).getString());
        }
        return series;
    });
}

Result<std::vector<Result<FrameId>>> NightFile::frameIds(std::span<const fs::path> files,
                                                         const std::stop_token& stop) {
    Database& db = *database_;
    std::vector<FileStamp> stamps;
    for (const fs::path& file : files) {
        stamps.emplace_back(file); // before it is read: a change meanwhile is seen next time
    }
    const auto known = knownFrameIds(files);
    std::vector<Result<FrameId>> ids(known.begin(), known.end());
    std::vector<std::size_t> open;
    for (std::size_t i = 0; i < known.size(); ++i) {
        if (!known[i].isKnown()) {
            open.push_back(i);
        }
    }
    parallelFor(open.size(), [&](std::size_t k) {
        if (stop.stop_requested()) {
            return;
        }
        ids[open[k]] = frameIdOf(files[open[k]]);
    });
    if (stop.stop_requested()) {
        return fail(ErrorId::BaseCancelled, "Stopped.");
    }
    if (open.empty()) {
        return ids;
    }
    auto stored = db.change([&] {
        SQLite::Statement insert(db.sqlite, "INSERT OR REPLACE INTO digest VALUES (?, ?, ?, ?)");
        for (const std::size_t i : open) {
            if (ids[i] && stamps[i].size >= 0) {
                insert.bind(1, pathText(db.places.stored(files[i])));
                insert.bind(2, stamps[i].size);
                insert.bind(3, stamps[i].changed);
                insert.bind(4, ids[i]->text());
                insert.exec();
                insert.reset();
            }
        }
    });
    if (!stored) {
        return fail(stored.error());
    }
    return ids;
}

std::vector<FrameId> NightFile::knownFrameIds(std::span<const fs::path> files) const {
    const Database& db = *database_;
    std::vector<FrameId> ids(files.size());
    // A digest that cannot be read is worked out again.
    const auto read = reading(db.path, [&] {
        SQLite::Statement query(
            db.sqlite, "SELECT value FROM digest WHERE path = ? AND size = ? AND changed = ?");
        for (std::size_t i = 0; i < files.size(); ++i) {
            const FileStamp stamp(files[i]);
            query.bind(1, pathText(db.places.stored(files[i])));
            query.bind(2, stamp.size);
            query.bind(3, stamp.changed);
            if (query.executeStep()) {
                ids[i] = FrameId(query.getColumn(0).getString());
            }
            query.reset();
        }
        return true;
    });
    return read ? ids : std::vector<FrameId>(files.size());
}

Result<FrameId> NightFile::frameId(const fs::path& file) {
    auto ids = frameIds(std::span(&file, 1));
    return ids ? std::move(ids->front()) : Result<FrameId>(fail(ids.error()));
}

Result<bool> NightFile::putProducts(std::span<const Product> products) {
    Database& db = *database_;
    return db.change([&] {
        SQLite::Statement insert(
            db.sqlite,
            "INSERT OR REPLACE INTO product (key, kind, frame, body, path, info, "
            "packed, origin) VALUES (?, ?, ?, ?, ?, ?, ?, ?)");
        // A file is one product: what it held before is gone.
        SQLite::Statement replaced(
            db.sqlite, "DELETE FROM product WHERE path = ? AND path <> '' AND key <> ?");
        for (const Product& product : products) {
            replaced.bind(1, pathText(db.places.stored(product.path)));
            replaced.bind(2, product.key);
            replaced.exec();
            replaced.reset();
            insert.bind(1, product.key);
            insert.bind(2, std::string(name(product.kind)));
            insert.bind(3, product.frame.text());
            insert.bind(4, product.body.text());
            insert.bind(5, pathText(db.places.stored(product.path)));
            insert.bind(6, product.info);
            insert.bind(7, product.packed.data(), static_cast<int>(product.packed.size()));
            insert.bind(8, product.origin);
            insert.exec();
            insert.reset();
        }
    });
}

namespace {

constexpr const char* kProductColumns = "SELECT key, kind, frame, body, path, info, packed, origin "
                                        "FROM product ";

/// nullopt for a kind that this program does not know.
std::optional<Product> productOf(SQLite::Statement& row, const NightPlaces& places) {
    const auto kind = productKindNamed(row.getColumn(1).getString());
    if (!kind) {
        return std::nullopt;
    }
    const SQLite::Column packed = row.getColumn(6);
    return Product{row.getColumn(0).getString(),
                   *kind,
                   FrameId(row.getColumn(2).getString()),
                   BodyId::of(row.getColumn(3).getString()),
                   places.resolved(pathFrom(row.getColumn(4).getString())),
                   row.getColumn(5).getString(),
                   std::string(static_cast<const char*>(packed.getBlob()),
                               static_cast<std::size_t>(packed.getBytes())),
                   row.getColumn(7).getString()};
}

} // namespace

std::optional<Product> NightFile::product(const std::string& key) const {
    const auto found = reading(database_->path, [&]() -> std::optional<Product> {
        SQLite::Statement query(database_->sqlite, std::string(kProductColumns) + "WHERE key = ?");
        query.bind(1, key);
        return query.executeStep() ? productOf(query, database_->places) : std::nullopt;
    });
    if (!found || !*found) {
        return std::nullopt;
    }
    if (!(*found)->path.empty()) {
        // Another key may have been written to the same name since, or the file be gone.
        const auto header = frame::readFitsHeader((*found)->path);
        if (!header || header->text(frame::kResultKeyword) != key) {
            return std::nullopt;
        }
    }
    return *found;
}

Result<std::vector<Product>> NightFile::products(ProductKind kind) const {
    return reading(database_->path, [&] {
        std::vector<Product> list;
        SQLite::Statement query(database_->sqlite,
                                std::string(kProductColumns) + "WHERE kind = ? ORDER BY key");
        query.bind(1, std::string(name(kind)));
        while (query.executeStep()) {
            if (auto product = productOf(query, database_->places)) {
                list.push_back(std::move(*product));
            }
        }
        return list;
    });
}

Result<bool> NightFile::forgetProducts(std::span<const std::string> keys) {
    return database_->change([&] {
        SQLite::Statement remove(database_->sqlite, "DELETE FROM product WHERE key = ?");
        for (const std::string& key : keys) {
            remove.bind(1, key);
            remove.exec();
            remove.reset();
        }
    });
}

Result<bool> NightFile::forgetOldProducts() {
    return database_->change([&] {
        database_->sqlite.exec(
            "DELETE FROM product WHERE rowid IN (SELECT id FROM (SELECT rowid AS id, ROW_NUMBER() "
            "OVER (PARTITION BY frame, kind ORDER BY rowid DESC) AS age FROM product WHERE path = "
            "'' AND frame <> '') WHERE age > 4)");
    });
}

Result<bool> NightFile::replaceLights(std::span<const LightRecord> lights) {
    return database_->replaceList<LightRecord>(
        "light", "frame,series,time", lights, [](SQLite::Statement& row, const LightRecord& light) {
            row.bind(1, light.frame.text());
            row.bind(2, light.series.text());
            row.bind(3, light.middle.julian());
            return 4;
        });
}

Result<std::vector<LightRecord>> NightFile::lights() const {
    return database_->readList<LightRecord>("SELECT info FROM light ORDER BY place");
}

Result<std::vector<SourceRecord>> NightFile::sources(const LightRecord& light) const {
    return reading(database_->path, [&] {
        SQLite::Statement query(database_->sqlite, "SELECT packed FROM product WHERE key = ?");
        const auto packed = [&](const std::string& key) {
            query.reset();
            query.bind(1, key);
            if (!query.executeStep()) {
                return std::string();
            }
            const SQLite::Column bytes = query.getColumn(0);
            return std::string(static_cast<const char*>(bytes.getBlob()),
                               static_cast<std::size_t>(bytes.getBytes()));
        };
        auto sources = unpackSources(packed(light.keys.sources));
        // Which of them are stars is known once the frame is solved.
        markStars(sources, packed(light.keys.zeroPoint));
        return sources;
    });
}

Result<bool> NightFile::replaceTracks(std::span<const TrackRecord> tracks) {
    return database_->replaceList<TrackRecord>(
        "track", "name", tracks, [](SQLite::Statement& row, const TrackRecord& track) {
            row.bind(1, track.name);
            return 2;
        });
}

Result<std::vector<TrackRecord>> NightFile::tracks() const {
    return database_->readList<TrackRecord>("SELECT info FROM track ORDER BY place");
}

Result<bool> NightFile::rememberTracks(std::span<const TrackRecord> tracks) {
    return database_->replaceList<TrackRecord>(
        "remembered_track", "name", tracks, [](SQLite::Statement& row, const TrackRecord& track) {
            row.bind(1, track.name);
            return 2;
        });
}

Result<std::vector<TrackRecord>> NightFile::rememberedTracks() const {
    return database_->readList<TrackRecord>("SELECT info FROM remembered_track ORDER BY place");
}

Result<bool> NightFile::replaceSweeps(std::span<const SweepRecord> sweeps) {
    return database_->replaceList<SweepRecord>(
        "sweep", "series", sweeps, [](SQLite::Statement& row, const SweepRecord& sweep) {
            row.bind(1, sweep.series.text());
            return 2;
        });
}

Result<std::vector<SweepRecord>> NightFile::sweeps() const {
    return database_->readList<SweepRecord>("SELECT info FROM sweep ORDER BY place");
}

Result<bool> NightFile::replacePredictions(std::span<const PredictionRecord> predictions) {
    return database_->replaceList<PredictionRecord>(
        "prediction",
        "frame,body,time",
        predictions,
        [](SQLite::Statement& row, const PredictionRecord& p) {
            row.bind(1, p.frame.text());
            row.bind(2, p.body.text());
            row.bind(3, p.time.julian());
            return 4;
        });
}

Result<std::vector<PredictionRecord>> NightFile::predictions() const {
    return database_->readList<PredictionRecord>("SELECT info FROM prediction ORDER BY place");
}

Result<bool> NightFile::replaceMeasurements(std::span<const MeasurementRecord> measurements) {
    return database_->replaceList<MeasurementRecord>(
        "measurement",
        "id,frame,body,time",
        measurements,
        [](SQLite::Statement& row, const MeasurementRecord& m) {
            row.bind(1, m.id);
            row.bind(2, m.frame.text());
            row.bind(3, m.body.text());
            row.bind(4, m.time.julian());
            return 5;
        });
}

Result<bool> NightFile::putSending(const Sending& sending) {
    Database& db = *database_;
    return db.changeForGood([&] {
        SQLite::Statement insert(db.sqlite,
                                 "INSERT INTO sending (id, info, text, answer) VALUES (?, ?, "
                                 "?, ?) ON CONFLICT (id) DO UPDATE SET info = excluded.info, "
                                 "text = excluded.text, answer = excluded.answer");
        insert.bind(1, sending.id);
        insert.bind(2, db.dump(sending));
        insert.bind(3, sending.text.data(), static_cast<int>(sending.text.size()));
        insert.bind(4, sending.answer.data(), static_cast<int>(sending.answer.size()));
        insert.exec();
    });
}

Result<std::vector<Sending>> NightFile::sendings() const {
    const Database& db = *database_;
    return reading(db.path, [&] {
        std::vector<Sending> sendings;
        SQLite::Statement query(db.sqlite, "SELECT info, text, answer FROM sending ORDER BY place");
        while (query.executeStep()) {
            auto sending = db.parse<Sending>(query.getColumn(0).getString());
            sending.text = query.getColumn(1).getString();
            sending.answer = query.getColumn(2).getString();
            sendings.push_back(std::move(sending));
        }
        return sendings;
    });
}

Result<std::vector<MeasurementRecord>> NightFile::madeMeasurements() const {
    return database_->readList<MeasurementRecord>("SELECT info FROM measurement ORDER BY place");
}

Result<std::vector<MeasurementRecord>> NightFile::measurements() const {
    auto records = madeMeasurements();
    if (!records) {
        return records;
    }
    const auto decisions = decided();
    if (!decisions) {
        return fail(decisions.error());
    }
    if (!decisions->byHand.empty() || std::any_of(records->begin(), records->end(), isByHand)) {
        const auto all = lights();
        if (!all) {
            return fail(all.error());
        }
        layByHand(*decisions, *all, *records);
    }
    decisions->judge(*records);
    return records;
}

namespace {

/// "2031-04-05T06:07:08Z" of the machine's clock: said to people, never used.
constexpr const char* kNow = "strftime('%Y-%m-%dT%H:%M:%SZ', 'now')";

} // namespace

Result<bool> NightFile::decide(const Act& act) {
    SQLite::Database& db = database_->sqlite;
    return database_->change([&] {
        db.exec("DELETE FROM act WHERE in_force = 0");
        SQLite::Statement insert(
            db,
            fmt::format("INSERT INTO act (at, words, decisions, in_force) VALUES ({}, ?, ?, 1)",
                        kNow));
        insert.bind(1, act.words);
        insert.bind(2, toText(act.decisions));
        insert.exec();
    });
}

Result<std::vector<Act>> NightFile::undo(int count) {
    return database_->turn(count, false);
}

Result<std::vector<Act>> NightFile::redo(int count) {
    return database_->turn(count, true);
}

Result<std::vector<PastAct>> NightFile::history() const {
    return reading(database_->path, [&] {
        std::vector<PastAct> acts;
        SQLite::Statement query(
            database_->sqlite,
            "SELECT number, at, words, decisions, in_force FROM act ORDER BY number");
        while (query.executeStep()) {
            acts.push_back(
                {query.getColumn(0).getInt(),
                 query.getColumn(1).getString(),
                 {query.getColumn(2).getString(), decisionsFrom(query.getColumn(3).getString())},
                 query.getColumn(4).getInt() != 0});
        }
        return acts;
    });
}

Result<Decided> NightFile::decided() const {
    const auto acts = history();
    return acts ? Result<Decided>(Decided::after(*acts)) : fail(acts.error());
}

} // namespace pathmark::night
