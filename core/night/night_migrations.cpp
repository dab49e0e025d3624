#include "core/base/expects.h"
#include "core/frame/fits_file.h"
#include "core/night/decisions.h"
#include "core/night/night_database.h"
#include "core/night/night_places.h"
#include "core/night/record_fields.h"
#include "core/night/record_json.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>

// How night files of earlier versions become ones of this version. A step is never changed once it has been released:
// a new version adds a step at the end.
namespace pathmark::night {
namespace {

namespace fs = std::filesystem;
using nlohmann::json;

constexpr const char* kSchema = R"(
CREATE TABLE setting (key TEXT PRIMARY KEY, value TEXT NOT NULL);
CREATE TABLE frame (path TEXT PRIMARY KEY, id TEXT NOT NULL, series TEXT NOT NULL, info TEXT NOT NULL);
CREATE INDEX frame_id ON frame (id);
CREATE TABLE digest (path TEXT PRIMARY KEY, size INTEGER, changed INTEGER, value TEXT);
CREATE TABLE product (key TEXT PRIMARY KEY, kind TEXT NOT NULL, frame TEXT NOT NULL, body TEXT NOT NULL,
    path TEXT NOT NULL, info TEXT NOT NULL, packed BLOB NOT NULL, origin TEXT NOT NULL);
CREATE INDEX product_kind ON product (kind);
CREATE INDEX product_frame ON product (frame);
CREATE INDEX product_path ON product (path);
CREATE TABLE light (place INTEGER PRIMARY KEY, frame TEXT NOT NULL, series TEXT NOT NULL, time REAL NOT NULL,
    info TEXT NOT NULL);
CREATE TABLE track (place INTEGER PRIMARY KEY, name TEXT NOT NULL, info TEXT NOT NULL);
CREATE TABLE remembered_track (place INTEGER PRIMARY KEY, name TEXT NOT NULL, info TEXT NOT NULL);
CREATE TABLE prediction (place INTEGER PRIMARY KEY, frame TEXT NOT NULL, body TEXT NOT NULL, time REAL NOT NULL,
    info TEXT NOT NULL);
CREATE INDEX prediction_frame ON prediction (frame);
CREATE INDEX prediction_body ON prediction (body);
CREATE TABLE measurement (place INTEGER PRIMARY KEY, id TEXT NOT NULL, frame TEXT NOT NULL, body TEXT NOT NULL,
    time REAL NOT NULL, info TEXT NOT NULL);
CREATE INDEX measurement_id ON measurement (id);
CREATE INDEX measurement_body ON measurement (body);
CREATE TABLE act (number INTEGER PRIMARY KEY AUTOINCREMENT, at TEXT NOT NULL, words TEXT NOT NULL,
    decisions TEXT NOT NULL, in_force INTEGER NOT NULL);
)";

constexpr const char* kSweepTable =
    "CREATE TABLE sweep (place INTEGER PRIMARY KEY, series TEXT NOT NULL, info TEXT NOT NULL)";

constexpr const char* kSendingTable = "CREATE TABLE sending (place INTEGER PRIMARY KEY "
                                      "AUTOINCREMENT, id TEXT NOT NULL UNIQUE, info TEXT NOT NULL, "
                                      "text BLOB NOT NULL, answer BLOB NOT NULL)";

/// Everything of a night file of version 2 that goes on, read before its tables go.
class Version2 {
  public:
    explicit Version2(SQLite::Database& db, fs::path path) : db_(db), path_(std::move(path)) {
        SQLite::Statement digests(db_, "SELECT path, value FROM old_digest");
        while (digests.executeStep()) {
            ids_[digests.getColumn(0).getString()] = digests.getColumn(1).getString();
        }
        places_.folder = setting("folder");
        places_.out = setting("out");
        if (places_.out.empty()) {
            places_.out = path_.parent_path();
        }
        readFrames();
        readLights();
        readMeasurements();
        readDecisions();
    }

    void write() {
        const fs::path own = path_.parent_path();
        put("setting", {"key", "value"}, "folder", rememberedFolder(places_.folder, own));
        put("setting", {"key", "value"}, "out", rememberedFolder(places_.out, own));
        put("setting", {"key", "value"}, "recipe", pathText(places_.stored(setting("recipe"))));
        for (const auto& [path, info] : frames_) {
            put("frame",
                {"path", "id", "series", "info"},
                stored(path),
                idOf(path),
                "",
                info.dump());
        }
        for (std::size_t i = 0; i < lights_.size(); ++i) {
            put("light",
                {"place", "frame", "series", "time", "info"},
                static_cast<std::int64_t>(i),
                lights_[i].value("frame", ""),
                "",
                julian(lights_[i].at("middle")),
                lights_[i].dump());
        }
        for (std::size_t i = 0; i < measurements_.size(); ++i) {
            const json& m = measurements_[i];
            put("measurement",
                {"place", "id", "frame", "body", "time", "info"},
                static_cast<std::int64_t>(i),
                m.value("id", ""),
                m.value("frame", ""),
                m.value("body", ""),
                julian(m.at("time")),
                m.dump());
        }
        for (const auto& [path, id] : ids_) {
            SQLite::Statement insert(db_,
                                     "INSERT OR REPLACE INTO digest SELECT ?, size, changed, value "
                                     "FROM old_digest WHERE path = ?");
            insert.bind(1, stored(path));
            insert.bind(2, path);
            insert.exec();
        }
        if (!decisions_.empty()) {
            put("act",
                {"at", "words", "decisions", "in_force"},
                "",
                "decisions of the earlier version",
                toText(decisions_),
                1);
        }
    }

  private:
    static double julian(const json& time) {
        return time.at(0).get<double>() + time.at(1).get<double>();
    }

    [[nodiscard]] std::string setting(const char* key) const {
        SQLite::Statement query(db_, "SELECT value FROM old_setting WHERE key = ?");
        query.bind(1, key);
        return query.executeStep() ? query.getColumn(0).getString() : std::string();
    }

    [[nodiscard]] std::string idOf(const std::string& path) const {
        const auto known = ids_.find(path);
        return known == ids_.end() ? std::string() : known->second;
    }

    [[nodiscard]] std::string stored(const std::string& path) const {
        return pathText(places_.stored(path));
    }

    template <typename... Values>
    void put(const std::string& table,
             const std::array<const char*, sizeof...(Values)>& columns,
             const Values&... values) {
        std::string marks = "?";
        for (std::size_t i = 1; i < columns.size(); ++i) {
            marks += ", ?";
        }
        SQLite::Statement insert(db_,
                                 fmt::format("INSERT OR REPLACE INTO {} ({}) VALUES ({})",
                                             table,
                                             fmt::join(columns, ", "),
                                             marks));
        int place = 0;
        (insert.bind(++place, values), ...);
        insert.exec();
    }

    std::vector<json> rows(const std::string& sql) {
        std::vector<json> list;
        SQLite::Statement query(db_, sql);
        while (query.executeStep()) {
            list.push_back(json::parse(query.getColumn(0).getString()));
        }
        return list;
    }

    void readFrames() {
        for (json info : rows("SELECT info FROM old_frame ORDER BY path")) {
            const std::string path = info.at("path").get<std::string>();
            info["id"] = idOf(path);
            info["path"] = stored(path);
            info["binning_x"] = info.at("binning").at(0);
            info["binning_y"] = info.at("binning").at(1);
            if (info.contains("pointing")) {
                info["pointing"] = {info["pointing"][0].get<double>() * kRadiansPerDegree,
                                    info["pointing"][1].get<double>() * kRadiansPerDegree};
            }
            if (info.contains("sample")) {
                const json sample = info["sample"];
                info["sample"] = {{"level", sample[0]},
                                  {"scatter", sample[1]},
                                  {"bright", sample[2]},
                                  {"defined", sample[3]}};
            }
            json origins = json::array();
            for (const json& origin : info.at("origins")) {
                origins.push_back({{"what", origin[0]}, {"value", origin[1]}, {"from", origin[2]}});
            }
            info["origins"] = origins;
            frames_.emplace_back(path, std::move(info));
        }
    }

    void readLights() {
        for (json light : rows("SELECT info FROM old_light ORDER BY place")) {
            const std::string raw = light.at("raw").get<std::string>();
            const std::string calibrated = light.at("calibrated").get<std::string>();
            frameOf_[calibrated] = idOf(raw);
            frameOfName_[fs::path(calibrated).filename().string()] = idOf(raw);
            light["frame"] = idOf(raw);
            light["raw"] = stored(raw);
            light["calibrated"] = stored(calibrated);
            light["series_title"] = light.at("series");
            // Two series of one title were one to the earlier version.
            light["series"] = "title:" + light.at("series").get<std::string>();
            const json shape = light.at("shape");
            light["shape"] = {
                {"a", shape[0]}, {"b", shape[1]}, {"c", shape[2]}, {"beta", shape[3]}};
            if (light.contains("attempt") && !light["attempt"].is_null()) {
                json& attempt = light["attempt"];
                attempt["scale_low"] = attempt["scale"][0];
                attempt["scale_high"] = attempt["scale"][1];
                attempt["best_matched"] = attempt["best"][0];
                attempt["best_of"] = attempt["best"][1];
            }
            lights_.push_back(std::move(light));
        }
    }

    /// The frames that a stack was added from, as its header tells.
    [[nodiscard]] std::vector<FrameId> framesOfStack(const std::string& picture) const {
        std::vector<FrameId> ids;
        const auto header = frame::readFitsHeader(picture);
        if (!header) {
            return ids;
        }
        constexpr std::string_view added = "added ";
        for (const frame::Card& card : header->cards()) {
            const std::string text = frame::cardText(card);
            if (card.keyword == "HISTORY" && text.starts_with(added)) {
                const auto known = frameOfName_.find(text.substr(added.size()));
                if (known != frameOfName_.end() && !known->second.empty()) {
                    ids.emplace_back(known->second);
                }
            }
        }
        return ids;
    }

    void readMeasurements() {
        for (json m : rows("SELECT info FROM old_measurement ORDER BY place")) {
            const std::string picture = m.at("picture").get<std::string>();
            const std::string old = m.at("id").get<std::string>();
            const BodyId body = BodyId::of(m.at("body").get<std::string>());
            const auto single = frameOf_.find(picture);
            const bool onStack = single == frameOf_.end();
            const auto frames =
                onStack ? framesOfStack(picture) : std::vector<FrameId>{FrameId(single->second)};
            m["body"] = body.text();
            m["frame"] = onStack ? std::string() : single->second;
            m["on_stack"] = onStack;
            m["picture"] = stored(picture);
            if (!frames.empty()) {
                m["id"] = measurementId(body, frames);
            }
            newId_[old] = m["id"].get<std::string>();
            measurements_.push_back(std::move(m));
        }
    }

    void readDecisions() {
        SQLite::Statement excluded(db_, "SELECT path FROM old_excluded ORDER BY path");
        while (excluded.executeStep()) {
            if (const std::string id = idOf(excluded.getColumn(0).getString()); !id.empty()) {
                decisions_.emplace_back(LeaveOut{FrameId(id), true, {}});
            }
        }
        SQLite::Statement judged(db_, "SELECT id, state, reason FROM old_decision ORDER BY id");
        while (judged.executeStep()) {
            const std::string old = judged.getColumn(0).getString();
            const auto known = newId_.find(old);
            decisions_.emplace_back(
                JudgeMeasurement{known == newId_.end() ? old : known->second,
                                 measurementStateNamed(judged.getColumn(1).getString()),
                                 judged.getColumn(2).getString()});
        }
        const auto list = [&](const char* key) {
            return json::parse(setting(key).empty() ? "[]" : setting(key));
        };
        for (const json& entry : list("kind_decisions")) {
            // The earlier window wrote whole paths.
            const std::string id = idOf(entry.value("path", ""));
            if (const auto kind = frame::frameKindNamed(entry.value("kind", ""));
                kind && !id.empty()) {
                decisions_.emplace_back(SetKind{FrameId(id), *kind});
            }
        }
        for (const json& entry : list("match_decisions")) {
            const auto role = calibrate::roleNamed(entry.value("role", ""));
            const auto series = seriesWith(entry.value("series", ""));
            const auto group = seriesWith(entry.value("group", ""));
            if (role && series.isKnown()) {
                decisions_.emplace_back(ChooseMaster{series, *role, true, group});
            }
        }
        for (const json& entry : list("hand_solutions")) {
            FitByHand fit{FrameId(idOf(entry.value("frame", ""))),
                          record_json::read<frame::Wcs>(entry.at("wcs")),
                          {}};
            for (const json& other : entry.at("offered_to")) {
                fit.offeredTo.emplace_back(idOf(other.get<std::string>()));
            }
            if (fit.frame.isKnown()) {
                decisions_.emplace_back(std::move(fit));
            }
        }
        for (const json& entry : list("observations_off")) {
            const std::string old = entry.get<std::string>();
            const auto known = newId_.find(old);
            decisions_.emplace_back(
                SwitchObservation{known == newId_.end() ? old : known->second, true});
        }
    }

    /// The series whose first frame has a path: what the earlier version named a series by.
    [[nodiscard]] SeriesId seriesWith(const std::string& path) {
        if (groups_.empty()) {
            std::vector<frame::FrameInfo> infos;
            for (const auto& [own, info] : frames_) {
                infos.push_back(record_json::read<frame::FrameInfo>(info));
                infos.back().path = own;
            }
            groups_ = calibrate::groupFrames(infos);
        }
        for (const auto& group : groups_) {
            if (group.frames.front().path == path) {
                return group.id;
            }
        }
        return {};
    }

    SQLite::Database& db_;
    fs::path path_;
    NightPlaces places_;
    std::map<std::string, std::string> ids_; ///< by path
    std::vector<std::pair<std::string, json>> frames_;
    std::vector<json> lights_;
    std::vector<json> measurements_;
    std::map<std::string, std::string> frameOf_;     ///< by calibrated file
    std::map<std::string, std::string> frameOfName_; ///< by its name
    std::map<std::string, std::string> newId_;       ///< of measurements
    std::vector<Decision> decisions_;
    std::vector<calibrate::FrameGroup> groups_;
};

/// Version 3 knows frames, series and bodies by identities, keeps paths relative and has a history of decisions. What was
/// predicted and linked, and the products, are made again by the next run.
void from2to3(SQLite::Database& db, const fs::path& path) {
    constexpr std::array tables{"setting",
                                "frame",
                                "excluded",
                                "digest",
                                "product",
                                "light",
                                "source",
                                "track",
                                "prediction",
                                "measurement",
                                "decision"};
    for (const char* table : tables) {
        db.exec(fmt::format("ALTER TABLE {0} RENAME TO old_{0}", table));
    }
    db.exec(kSchema);
    Version2 old(db, path);
    old.write();
    for (const char* table : tables) {
        db.exec(fmt::format("DROP TABLE old_{}", table));
    }
}

struct Migration {
    int from;
    void (*run)(SQLite::Database&, const fs::path&);
};

/// Version 4 keeps what sweeps found.
void from3to4(SQLite::Database& db, const fs::path& /*path*/) {
    db.exec(kSweepTable);
}

/// Version 5 keeps what was sent.
void from4to5(SQLite::Database& db, const fs::path& /*path*/) {
    db.exec(kSendingTable);
}

constexpr std::array kMigrations{
    Migration{2, from2to3}, Migration{3, from3to4}, Migration{4, from4to5}};

} // namespace

Result<bool> migrate(SQLite::Database& db, const fs::path& path) {
    int version = db.execAndGet("PRAGMA user_version").getInt();
    if (version > kNightVersion) {
        return fail(ErrorId::NightFileDamaged,
                    fmt::format("This night file is of version {}, and this program writes version "
                                "{}. Open it with a later Path Mark, or give another file name.",
                                version,
                                kNightVersion),
                    path.string());
    }
    if (version == kNightVersion) {
        return true;
    }
    return transact(db, path, [&] {
        if (version == 0) {
            db.exec(kSchema);
            db.exec(kSweepTable);
            db.exec(kSendingTable);
            version = kNightVersion;
        }
        for (const Migration& migration : kMigrations) {
            if (version == migration.from) {
                migration.run(db, path);
                ++version;
            }
        }
        PATHMARK_EXPECTS(version == kNightVersion);
        db.exec(fmt::format("PRAGMA user_version = {}", version));
    });
}

} // namespace pathmark::night
