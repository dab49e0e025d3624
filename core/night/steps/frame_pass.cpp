#include "core/night/steps/frame_pass.h"

#include "core/base/atomic_file.h"
#include "core/base/hash.h"
#include "core/base/parallel.h"
#include "core/frame/colour_pattern.h"
#include "core/frame/fits_file.h"
#include "core/night/steps/calibrate_step.h"

#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <mutex>
#include <set>

namespace pathmark::night {
namespace {

namespace fs = std::filesystem;

/// Where a calibrated file says what its header was last stamped with.
constexpr const char* kStampKeyword = "PMSTAMP";

struct Task {
    FrameWork work;
    std::vector<ProductKey> keys; ///< by step
    std::vector<bool> isThere;    ///< by step: stored already
    bool isStamped = false;
    std::vector<Product> made;
    std::optional<Error> error;
};

/// From one row of the calibrated frame to the next.
double rowSecondsOf(const FrameWork& work) {
    return work.info.rowSeconds * std::max(1, work.info.height / std::max(1, work.record.height));
}

/// What the header of the calibrated file is to say beside its pixels.
std::string stampOf(std::span<const FrameStep> steps, const FrameWork& work) {
    Digest digest;
    for (const FrameStep& step : steps) {
        if (step.stamp != nullptr || step.makes == ProductKind::Calibrated) {
            digest.add(name(step.makes)).add(work.keys.at(step.makes));
        }
    }
    return digest.add(toIso(work.record.middle, 6)).add(work.info.rowSeconds).hex();
}

void lookUp(const CalibrationRun& run, std::span<const FrameStep> steps, Task& task) {
    FrameWork& work = task.work;
    for (const FrameStep& step : steps) {
        task.keys.push_back(step.key(work));
        const std::string key = task.keys.back().hex();
        work.keys[step.makes] = key;
        bool isThere = false;
        if (const auto product = run.file.product(key)) {
            try {
                if (step.restore != nullptr) {
                    step.restore(work, *product);
                }
                isThere = true;
                if (step.makes == ProductKind::Calibrated) {
                    // The stored product's own file goes on, whatever it would be called today.
                    work.target = product->path;
                }
            } catch (const std::exception&) {
                isThere = false; // a record that cannot be read is none: it is made again
            }
        }
        task.isThere.push_back(isThere);
    }
    if (task.isThere.front()) {
        const auto header = frame::readFitsHeader(work.record.calibrated);
        task.isStamped = header && header->text(kStampKeyword) == stampOf(steps, work);
    }
}

bool isAllThere(const Task& task) {
    return std::all_of(task.isThere.begin(), task.isThere.end(), [](bool b) { return b; });
}

bool isDone(std::span<const FrameStep> steps, const Task& task) {
    // Calibrating alone does not take away what solving has written.
    return isAllThere(task) && (task.isStamped || steps.size() == 1);
}

Result<bool> writeFile(std::span<const FrameStep> steps, FrameWork& work) {
    if (auto ready = work.needPixels(); !ready) {
        return ready;
    }
    frame::Header& header = work.pixels->header;
    header.set("DATE-AVG", toIso(work.record.middle).substr(0, 23), "middle of the exposure (UTC)");
    if (const double delay = rowSecondsOf(work); delay != 0.0) {
        header.set(frame::kRowDelayKeyword, delay, "[s] delay of each row against the one before");
    }
    header.set(frame::kResultKeyword, work.keys.at(ProductKind::Calibrated));
    header.set(kStampKeyword, stampOf(steps, work));
    for (const FrameStep& step : steps) {
        if (step.stamp != nullptr) {
            step.stamp(work, header);
        }
    }
    return frame::writeFits(work.target,
                            work.pixels->image,
                            header,
                            frame::PixelType::Float32,
                            furtherImages(*work.pixels));
}

Result<bool> makeMissing(std::span<const FrameStep> steps, Task& task) {
    FrameWork& work = task.work;
    for (std::size_t i = 0; i < steps.size(); ++i) {
        if (task.isThere[i]) {
            continue;
        }
        Product product;
        product.key = task.keys[i].hex();
        product.kind = steps[i].makes;
        product.frame = work.info.id;
        product.origin = task.keys[i].origin();
        if (auto made = steps[i].make(work, product); !made) {
            return made;
        }
        task.made.push_back(std::move(product));
    }
    // What is made after a stop may be cut short, and is no result.
    if (work.calibration.isStopped()) {
        return stopped();
    }
    if (!task.isStamped || !task.isThere.front()) {
        return writeFile(steps, work);
    }
    return true;
}

/// True where something is missing that is made with the masters.
bool needsMasters(const Task& task) {
    return !task.isThere.front() || (task.work.leansTowardsColour() && !isAllThere(task));
}

/// Lets go of what only making needs.
void release(FrameWork& work) {
    work.pixels.reset();
    work.detection.reset();
    work.solution.reset();
}

std::vector<Task> tasksOf(CalibrationRun& run, const NightRun* night) {
    std::vector<Task> tasks;
    for (const Series& series : run.series) {
        for (const auto& info : series.lights.frames) {
            FrameWork work(run, night, series, info);
            static_cast<TakenPart&>(work.record) = takenPart(info, series.lights);
            tasks.push_back({std::move(work), {}, {}, false, {}, {}});
        }
    }
    return tasks;
}

/// Gives every light that has no stored file a name of its own that no stored file of another has.
void nameTargets(const CalibrationRun& run, std::vector<Task>& tasks) {
    std::set<fs::path> taken;
    for (const Task& task : tasks) {
        if (task.isThere.front()) {
            taken.insert(task.work.target);
        }
    }
    const fs::path folder = run.out / infoOf(ProductKind::Calibrated).folder;
    for (Task& task : tasks) {
        if (task.isThere.front()) {
            continue;
        }
        const std::string stem = frame::frameStem(task.work.info.path);
        task.work.target = folder / (stem + ".fits");
        for (int i = 2; !taken.insert(task.work.target).second; ++i) {
            task.work.target = folder / fmt::format("{}-{}.fits", stem, i);
        }
    }
}

std::size_t machineMemory() {
    return static_cast<std::size_t>(::sysconf(_SC_PHYS_PAGES)) *
           static_cast<std::size_t>(::sysconf(_SC_PAGE_SIZE));
}

/// Works through the open lights of one series, its masters in memory.
class SeriesPass {
  public:
    SeriesPass(CalibrationRun& run, std::span<const FrameStep> steps, std::span<Task*> tasks)
        : run_(run), steps_(steps), tasks_(tasks) {}

    /// `done` of `total` lights of the night were finished before.
    Result<bool> pass(std::size_t done, std::size_t total) {
        done_ = done;
        total_ = total;
        const Series& series = tasks_.front()->work.series;
        if (std::any_of(tasks_.begin(), tasks_.end(), [](const Task* task) {
                return needsMasters(*task);
            })) {
            auto fresh = loadCalibration(run_, series);
            if (!fresh) {
                return fail(fresh.error());
            }
            loaded_ = std::move(*fresh);
        }
        const auto& info = series.lights.example;
        const std::size_t atOnce = framesAtOnce(static_cast<std::size_t>(info.width) *
                                                    static_cast<std::size_t>(info.height),
                                                threadLimit(),
                                                machineMemory());
        // Calibrating alone waits for the disk more than for the processor. Otherwise each thread works at one frame: shared workers
        // that wait within one would begin others, and hold all of them.
        overlapFor(tasks_.size(),
                   steps_.size() == 1 ? atOnce : std::min(atOnce, threadLimit()),
                   [&](std::size_t k) { work(*tasks_[k]); });
        if (run_.isStopped()) {
            return stopped();
        }
        return error_ ? Result<bool>(fail(*error_)) : Result<bool>(true);
    }

  private:
    void work(Task& task) {
        {
            const std::scoped_lock lock(guard_);
            if (error_ || run_.isStopped()) {
                return;
            }
            run_.job.progress(steps_.size() == 1 ? "Calibrating" : "Calibrating and solving",
                              static_cast<int>(done_++),
                              static_cast<int>(total_));
        }
        task.work.loaded = loaded_ ? &*loaded_ : nullptr;
        auto made = makeMissing(steps_, task);
        release(task.work);
        const std::scoped_lock lock(guard_);
        if (made) {
            made = run_.file.putProducts(task.made);
        }
        if (!made) {
            task.error = made.error();
            if (stopsTheNight(made.error())) {
                error_ = made.error();
            }
        }
        task.made.clear();
    }

    CalibrationRun& run_;
    std::span<const FrameStep> steps_;
    std::span<Task*> tasks_;
    std::optional<LoadedCalibration> loaded_;
    std::size_t done_ = 0;
    std::size_t total_ = 0;
    std::optional<Error> error_; ///< that every further frame would meet too
    std::mutex guard_;
};

/// The finished record of a light.
LightRecord recordOf(const Task& task) {
    LightRecord record = task.work.record;
    const auto keyOf = [&](ProductKind kind) {
        const auto key = task.work.keys.find(kind);
        return key == task.work.keys.end() ? std::string() : key->second;
    };
    record.keys = {keyOf(ProductKind::Calibrated),
                   keyOf(ProductKind::Sources),
                   keyOf(ProductKind::Solution),
                   keyOf(ProductKind::ZeroPoint)};
    record.rowSeconds = rowSecondsOf(task.work);
    return record;
}

} // namespace

std::size_t framesAtOnce(std::size_t pixels, std::size_t threads, std::size_t memoryBytes) {
    // Raw and calibrated pixels, the background, the filtered picture and the sources' windows, as measured.
    constexpr std::size_t bytesPerPixel = 40;
    const std::size_t fitting = memoryBytes / 2 / std::max<std::size_t>(1, pixels * bytesPerPixel);
    // As many again wait for the disk.
    return threads <= 1 ? 1 : std::clamp<std::size_t>(fitting, 1, 2 * threads);
}

Result<bool> FrameWork::needPixels() {
    if (pixels) {
        return true;
    }
    auto reader = frame::FitsReader::open(record.calibrated);
    auto stored = frame::readFits(record.calibrated);
    if (!reader || !stored) {
        return fail(reader ? stored.error() : reader.error());
    }
    calibrate::CalibratedFrame frame;
    frame.image = std::move(stored->image);
    frame.header = std::move(stored->header);
    frame.saturationElectrons = record.saturationElectrons;
    frame.defects = record.defects;
    for (const auto& [name, image] : {std::pair{"VARIANCE", &frame.variance},
                                      std::pair{"RED", &frame.red},
                                      std::pair{"BLUE", &frame.blue},
                                      std::pair{"GRADIENT", &frame.gradient}}) {
        if (auto further = reader->extension(name)) {
            *image = std::move(*further);
        }
    }
    pixels = std::move(frame);
    return true;
}

bool FrameWork::leansTowardsColour() const {
    const auto pattern = frame::ColourPattern::of(info.bayerPattern);
    return pattern && pattern->side() == 2 && calibration.settings.colour == calibrate::Colour::Sum;
}

Result<bool> FrameWork::needMosaic() {
    if (auto ready = needPixels(); !ready || !leansTowardsColour() || !pixels->mosaic.empty()) {
        return ready;
    }
    PATHMARK_EXPECTS(loaded != nullptr);
    auto mosaic = mosaicOf(*loaded, info);
    if (!mosaic) {
        return fail(mosaic.error());
    }
    pixels->mosaic = std::move(*mosaic);
    return true;
}

Result<std::vector<LightRecord>>
passFrames(CalibrationRun& run, const NightRun* night, std::span<const FrameStep> steps) {
    if (auto made = makeFolder(run.out / infoOf(ProductKind::Calibrated).folder); !made) {
        return fail(made.error());
    }
    std::vector<Task> tasks = tasksOf(run, night);
    std::vector<Task*> open;
    for (std::size_t k = 0; k < tasks.size(); ++k) {
        lookUp(run, steps, tasks[k]);
        if (run.part.holds(k) && !isDone(steps, tasks[k])) {
            open.push_back(&tasks[k]);
        }
    }
    // Those of other parts too: each has its name whoever makes it.
    nameTargets(run, tasks);
    std::size_t done = tasks.size() - open.size();
    for (std::size_t first = 0; first < open.size();) {
        std::size_t end = first;
        while (end < open.size() && &open[end]->work.series == &open[first]->work.series) {
            ++end;
        }
        SeriesPass pass(run, steps, std::span(open).subspan(first, end - first));
        if (auto passed = pass.pass(done, tasks.size()); !passed) {
            return fail(passed.error());
        }
        done += end - first;
        first = end;
    }
    std::vector<LightRecord> lights;
    for (std::size_t k = 0; k < tasks.size(); ++k) {
        const Task& task = tasks[k];
        if (!run.part.holds(k)) {
            continue;
        }
        if (task.error) {
            run.failures.push_back(*task.error);
        } else {
            lights.push_back(recordOf(task));
        }
    }
    return lights;
}

} // namespace pathmark::night
