#pragma once

#include "core/base/result.h"
#include "core/night/records.h"
#include "core/night/source_records.h"

#include <filesystem>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

namespace pathmark::night {

/// A derived file and the key of everything it was made from.
struct Product {
    std::string key;
    std::string kind; ///< "master", "light", "stack"
    std::filesystem::path path;
    std::string info; ///< JSON of the record
};

/// The night file: an SQLite database in WAL mode that holds all but pixels. Every change is one
/// transaction, so a crash loses at most the step that was running.
class NightFile {
  public:
    /// Opens or makes a night file.
    ///
    /// Errors   night.cannot_store  the folder cannot be written
    ///          night.file_damaged  it is no night file or of another version
    static Result<NightFile> open(const std::filesystem::path& path);

    NightFile(NightFile&&) noexcept;
    NightFile& operator=(NightFile&&) noexcept;
    ~NightFile();

    [[nodiscard]] const std::filesystem::path& path() const;

    // Each of the following has the error night.cannot_store (a full disk, a lost volume).

    Result<bool> setSetting(const std::string& key, const std::string& value);
    [[nodiscard]] std::optional<std::string> setting(const std::string& key) const;

    /// The frames of the night, all at once.
    Result<bool> replaceFrames(std::span<const frame::FrameInfo> frames);
    [[nodiscard]] std::vector<frame::FrameInfo> frames() const;

    /// A frame left out by the observer, or taken back in.
    Result<bool> setExcluded(const std::filesystem::path& frame, bool excluded);
    [[nodiscard]] bool isExcluded(const std::filesystem::path& frame) const;

    /// A file's digest, remembered while its size and time of change stay the same.
    Result<std::string> fileDigest(const std::filesystem::path& path);

    Result<bool> putProduct(const Product& product);
    /// The product of a key whose file is still there and carries that key (PMKEY in its header).
    [[nodiscard]] std::optional<Product> product(const std::string& key) const;

    Result<bool> replaceLights(std::span<const LightRecord> lights);
    [[nodiscard]] std::vector<LightRecord> lights() const;

    /// The sources of a light, by its raw path; empty where none are kept.
    Result<bool> putSources(const std::filesystem::path& frame,
                            std::span<const SourceRecord> sources);
    [[nodiscard]] std::vector<SourceRecord> sources(const std::filesystem::path& frame) const;

    Result<bool> replaceTracks(std::span<const TrackRecord> tracks);
    [[nodiscard]] std::vector<TrackRecord> tracks() const;

    Result<bool> replacePredictions(std::span<const PredictionRecord> predictions);
    [[nodiscard]] std::vector<PredictionRecord> predictions() const;

    /// New measurements take the place of all; what the observer decided about the same id stays.
    Result<bool> replaceMeasurements(std::span<const MeasurementRecord> measurements);
    [[nodiscard]] std::vector<MeasurementRecord> measurements() const;

    /// The observer's decision about a measurement.
    Result<bool> decide(const std::string& id, MeasurementState state, const std::string& reason);

  private:
    struct Database;
    NightFile();

    std::unique_ptr<Database> database_;
};

} // namespace pathmark::night
