#pragma once

#include "core/base/result.h"
#include "core/frame/frame_info.h"
#include "core/night/decisions.h"
#include "core/night/night_places.h"
#include "core/night/product.h"
#include "core/night/records.h"
#include "core/night/report/sending_record.h"
#include "core/night/source_records.h"

#include <filesystem>
#include <map>
#include <memory>
#include <optional>
#include <span>
#include <stop_token>
#include <string>
#include <vector>

namespace pathmark::night {

/// The night file: an SQLite database in WAL mode that holds all but pixels. Every change is one
/// transaction, so a crash loses at most the step that was running. A night file of an earlier version is
/// brought up to date when it is opened, with its decisions (docs/file-formats.md).
///
/// Errors   Whatever writes: night.cannot_store (a full disk, a lost volume). Whatever reads: night.file_damaged.
class NightFile {
  public:
    /// Opens or makes a night file.
    ///
    /// Errors   night.cannot_store  the folder cannot be written
    ///          night.file_damaged  it is no night file, it is damaged, or of a later version
    static Result<NightFile> open(const std::filesystem::path& path);

    NightFile(NightFile&&) noexcept;
    NightFile& operator=(NightFile&&) noexcept;
    ~NightFile();

    [[nodiscard]] const std::filesystem::path& path() const;

    /// Where frames and results lie now.
    [[nodiscard]] const NightPlaces& places() const;

    /// The recipe of the last run; empty where there was none.
    [[nodiscard]] std::filesystem::path recipe() const;

    /// Says where frames, recipe and results lie.
    Result<bool> setPlaces(const NightPlaces& places, const std::filesystem::path& recipe);

    /// The frames of the night with the series that they belong to, all at once.
    Result<bool> replaceFrames(std::span<const frame::FrameInfo> frames,
                               const std::map<FrameId, SeriesId>& series);
    [[nodiscard]] Result<std::vector<frame::FrameInfo>> frames() const;
    [[nodiscard]] Result<std::map<FrameId, SeriesId>> seriesOfFrames() const;

    /// The identities of files: the digests of their content, remembered while size and time of change stay the same.
    /// An error stands for one file only.
    ///
    /// Errors   frame.not_readable; base.cancelled
    Result<std::vector<Result<FrameId>>> frameIds(std::span<const std::filesystem::path> files,
                                                  const std::stop_token& stop = {});
    Result<FrameId> frameId(const std::filesystem::path& file);

    /// Those that were read before and have not changed since; the others are not known.
    [[nodiscard]] std::vector<FrameId>
    knownFrameIds(std::span<const std::filesystem::path> files) const;

    /// Products made together are stored together.
    Result<bool> putProducts(std::span<const Product> products);

    /// The product of a key; of one with a file, if the file is still there and carries that key (PMKEY in its header).
    /// What cannot be read is no product.
    [[nodiscard]] std::optional<Product> product(const std::string& key) const;

    /// All products of a kind, as they are stored, their files unseen.
    [[nodiscard]] Result<std::vector<Product>> products(ProductKind kind) const;

    Result<bool> forgetProducts(std::span<const std::string> keys);

    /// Of the products of each frame and kind that live in the night file alone, the last four are kept.
    Result<bool> forgetOldProducts();

    Result<bool> replaceLights(std::span<const LightRecord> lights);
    [[nodiscard]] Result<std::vector<LightRecord>> lights() const;

    /// The sources of a light; none where it has no such product.
    [[nodiscard]] Result<std::vector<SourceRecord>> sources(const LightRecord& light) const;

    Result<bool> replaceTracks(std::span<const TrackRecord> tracks);
    [[nodiscard]] Result<std::vector<TrackRecord>> tracks() const;

    /// Tracks that the observer decided about, also where the last run did not find them: their names are not given again.
    Result<bool> rememberTracks(std::span<const TrackRecord> tracks);
    [[nodiscard]] Result<std::vector<TrackRecord>> rememberedTracks() const;

    /// What the sweeps of the last run found.
    Result<bool> replaceSweeps(std::span<const SweepRecord> sweeps);
    [[nodiscard]] Result<std::vector<SweepRecord>> sweeps() const;

    Result<bool> replacePredictions(std::span<const PredictionRecord> predictions);
    [[nodiscard]] Result<std::vector<PredictionRecord>> predictions() const;

    /// New measurements take the place of all; what the observer decided stays in the history.
    Result<bool> replaceMeasurements(std::span<const MeasurementRecord> measurements);

    /// The measurements as they were made.
    [[nodiscard]] Result<std::vector<MeasurementRecord>> madeMeasurements() const;

    /// The measurements with the observer's decisions laid over.
    [[nodiscard]] Result<std::vector<MeasurementRecord>> measurements() const;

    /// Keeps a report that leaves, or what became of it; on the disk when this returns, whatever happens to the machine.
    Result<bool> putSending(const Sending& sending);

    /// All of them, the earliest first.
    [[nodiscard]] Result<std::vector<Sending>> sendings() const;

    /// Adds an act to the history; what was undone before it can no longer be redone.
    Result<bool> decide(const Act& act);

    /// Takes back up to `count` acts, the latest first, or makes undone ones again; returns those it was about.
    Result<std::vector<Act>> undo(int count = 1);
    Result<std::vector<Act>> redo(int count = 1);

    /// Every act in order, undone ones last.
    [[nodiscard]] Result<std::vector<PastAct>> history() const;

    /// What all acts in force make together.
    [[nodiscard]] Result<Decided> decided() const;

  private:
    struct Database;
    NightFile();

    std::unique_ptr<Database> database_;
};

} // namespace pathmark::night
