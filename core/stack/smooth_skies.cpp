#include "core/stack/smooth_skies.h"

#include "core/base/parallel.h"
#include "core/base/robust.h"
#include "core/base/try_each.h"
#include "core/frame/open_frame.h"
#include "core/stack/cell_mask.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace pathmark::stack {
namespace {

using calibrate::SurfaceSample;

constexpr double kBoxesAcross = 64.0;  ///< of a frame's longer side
constexpr double kLeastBox = 12.0;     ///< pixels
constexpr double kCellStandsOut = 3.0; ///< sigma of cells without light
constexpr int kAround = 8;             ///< cells to each side that a cell is compared with
constexpr std::size_t kLeastAround = 40;
constexpr int kMostRounds = 40;
constexpr double kMuchLight = 0.4; ///< share of the cells
constexpr int kMostDegree = 6;
constexpr int kStiffDegree = 2;

/// One frame's boxes, and in which cell about the target each lies.
struct FrameBoxes {
    std::vector<SurfaceSample> samples;
    std::vector<std::size_t> cells;
    int width = 0;
    int height = 0;
    double scale = 1.0; ///< to the reference's electrons
};

struct CellPlace {
    int x = 0;
    int y = 0;
};

CellPlace cellAt(const PlanePos& at, double cell) {
    return {static_cast<int>(std::lround(at.xi / cell)),
            static_cast<int>(std::lround(at.eta / cell))};
}

class SkyFit {
  public:
    SkyFit(std::span<const StackFrame> frames,
           std::span<const SkyPos> targets,
           const SmoothSkyWishes& wishes)
        : frames_(frames), targets_(targets), wishes_(wishes) {}

    Result<bool> sample(const Job& job);
    Result<SmoothSkies> make();

  private:
    void placeCells();
    void beginExtent();
    void draw(std::vector<bool>& light) const;
    Result<double> fit(int degree);
    bool grow();
    [[nodiscard]] std::vector<double> contrast(const std::vector<double>& light) const;
    [[nodiscard]] std::vector<double> smoothed(const std::vector<double>& light) const;
    Result<double> settle(int degree);
    [[nodiscard]] std::vector<double> cellLight() const;

    [[nodiscard]] std::size_t indexOf(int x, int y) const {
        return static_cast<std::size_t>(y) * static_cast<std::size_t>(extent_.columns) +
               static_cast<std::size_t>(x);
    }

    std::span<const StackFrame> frames_;
    std::span<const SkyPos> targets_;
    const SmoothSkyWishes& wishes_;
    std::vector<FrameBoxes> boxes_;
    std::vector<std::vector<PlanePos>> places_; ///< of boxes, from the target
    LightExtent extent_;
    std::vector<calibrate::Surface> surfaces_;
};

Result<bool> SkyFit::sample(const Job& job) {
    boxes_.resize(frames_.size());
    places_.resize(frames_.size());
    return tryEach(frames_.size(), job, [&](std::size_t i) -> Result<bool> {
        auto reader = frame::openFrame(frames_[i].path);
        if (!reader) {
            return fail(reader.error());
        }
        const auto image = (*reader)->image();
        if (!image) {
            return fail(image.error());
        }
        FrameBoxes& boxes = boxes_[i];
        boxes.width = image->width();
        boxes.height = image->height();
        boxes.scale = frames_[i].fluxScale;
        calibrate::SurfaceOptions options;
        options.boxPixels = std::max(kLeastBox, std::max(boxes.width, boxes.height) / kBoxesAcross);
        boxes.samples = calibrate::sampleSurface(*image, options);
        const SkyPos origin =
            targets_.empty() ? frames_[i].place.wcs.toSky({0.5 * boxes.width, 0.5 * boxes.height})
                             : targets_[i];
        for (const SurfaceSample& s : boxes.samples) {
            places_[i].push_back(toTangentPlane(origin, frames_[i].place.wcs.toSky({s.x, s.y})));
        }
        return true;
    });
}

/// Cells of a box's side, as many as the boxes of all frames lie in.
void SkyFit::placeCells() {
    const double side =
        std::max(kLeastBox, std::max(boxes_[0].width, boxes_[0].height) / kBoxesAcross);
    extent_.cell = side * frames_[0].place.wcs.scaleArcsec() * kRadiansPerArcsec;
    int right = std::numeric_limits<int>::min();
    int top = right;
    extent_.left = extent_.bottom = std::numeric_limits<int>::max();
    for (const auto& places : places_) {
        for (const PlanePos& at : places) {
            const CellPlace cell = cellAt(at, extent_.cell);
            extent_.left = std::min(extent_.left, cell.x);
            extent_.bottom = std::min(extent_.bottom, cell.y);
            right = std::max(right, cell.x);
            top = std::max(top, cell.y);
        }
    }
    extent_.columns = right - extent_.left + 1;
    extent_.rows = top - extent_.bottom + 1;
    for (std::size_t i = 0; i < boxes_.size(); ++i) {
        for (const PlanePos& at : places_[i]) {
            const CellPlace cell = cellAt(at, extent_.cell);
            boxes_[i].cells.push_back(static_cast<std::size_t>(cell.y - extent_.bottom) *
                                          static_cast<std::size_t>(extent_.columns) +
                                      static_cast<std::size_t>(cell.x - extent_.left));
        }
    }
}

/// The discs that are protected in any frame, about the target.
void SkyFit::beginExtent() {
    extent_.isLight.assign(
        static_cast<std::size_t>(extent_.columns) * static_cast<std::size_t>(extent_.rows), false);
    double radius = 0.0;
    for (const StackFrame& frame : frames_) {
        for (const auto& disc : frame.protect) {
            radius = std::max(radius, disc.radius * frame.place.wcs.scaleArcsec());
        }
    }
    const double reach = radius * kRadiansPerArcsec + 0.71 * extent_.cell;
    for (int y = 0; y < extent_.rows && !targets_.empty(); ++y) {
        for (int x = 0; x < extent_.columns; ++x) {
            const double apart = extent_.cell * std::hypot(x + extent_.left, y + extent_.bottom);
            extent_.isLight[indexOf(x, y)] = apart < reach;
        }
    }
    draw(extent_.isLight);
}

void SkyFit::draw(std::vector<bool>& light) const {
    for (int y = 0; y < extent_.rows; ++y) {
        for (int x = 0; x < extent_.columns; ++x) {
            const PlanePos at{extent_.cell * (x + extent_.left),
                              extent_.cell * (y + extent_.bottom)};
            light[indexOf(x, y)] =
                asDrawn(wishes_.strokes, at, 0.5 * extent_.cell, light[indexOf(x, y)]);
        }
    }
}

/// Fits every frame's surface beside the light; the criterion of all together, without what is alike for all degrees.
Result<double> SkyFit::fit(int degree) {
    surfaces_.clear();
    calibrate::SurfaceOptions options;
    options.degree = degree;
    double criterion = 0.0;
    for (const FrameBoxes& boxes : boxes_) {
        std::vector<SurfaceSample> samples = boxes.samples;
        for (std::size_t k = 0; k < samples.size(); ++k) {
            samples[k].used = samples[k].used && !extent_.isLight[boxes.cells[k]];
        }
        auto surface = calibrate::fitSurface(samples, boxes.width, boxes.height, options);
        if (!surface) {
            return fail(surface.error());
        }
        std::vector<double> off;
        for (const SurfaceSample& s : samples) {
            if (s.used) {
                off.push_back(s.level - surface->at(s.x, s.y));
            }
        }
        double squares = 1e-12;
        for (const double v : off) {
            squares += v * v;
        }
        const auto n = static_cast<double>(off.size());
        const double terms = 0.5 * (degree + 1.0) * (degree + 2.0);
        criterion += n * std::log(squares / n) + terms * std::log(n);
        surfaces_.push_back(std::move(*surface));
    }
    return criterion;
}

/// The mean over the frames of what stands above their skies, by cell; NaN where no frame has a box.
std::vector<double> SkyFit::cellLight() const {
    std::vector<double> sums(extent_.isLight.size(), 0.0);
    std::vector<double> counts(extent_.isLight.size(), 0.0);
    for (std::size_t i = 0; i < boxes_.size(); ++i) {
        for (std::size_t k = 0; k < boxes_[i].samples.size(); ++k) {
            const SurfaceSample& s = boxes_[i].samples[k];
            if (s.used) {
                sums[boxes_[i].cells[k]] += boxes_[i].scale * (s.level - surfaces_[i].at(s.x, s.y));
                counts[boxes_[i].cells[k]] += 1.0;
            }
        }
    }
    for (std::size_t k = 0; k < sums.size(); ++k) {
        sums[k] = 2.0 * counts[k] >= static_cast<double>(boxes_.size())
                      ? sums[k] / counts[k]
                      : std::numeric_limits<double>::quiet_NaN();
    }
    return sums;
}

/// Means of three by three cells: wide light stands out farther.
std::vector<double> SkyFit::smoothed(const std::vector<double>& light) const {
    std::vector<double> smooth(light.size(), std::numeric_limits<double>::quiet_NaN());
    for (int y = 0; y < extent_.rows; ++y) {
        for (int x = 0; x < extent_.columns; ++x) {
            double sum = 0.0;
            int count = 0;
            for (int n = 0; n < 9; ++n) {
                const int u = x + n % 3 - 1;
                const int v = y + n / 3 - 1;
                if (u >= 0 && v >= 0 && u < extent_.columns && v < extent_.rows &&
                    std::isfinite(light[indexOf(u, v)])) {
                    sum += light[indexOf(u, v)];
                    ++count;
                }
            }
            if (count >= 5) {
                smooth[indexOf(x, y)] = sum / count;
            }
        }
    }
    return smooth;
}

/// Cells less the median of those without light around them: what a surface cannot follow is wider than that.
std::vector<double> SkyFit::contrast(const std::vector<double>& light) const {
    std::vector<double> above(light.size(), std::numeric_limits<double>::quiet_NaN());
    parallelFor(static_cast<std::size_t>(extent_.rows), [&](std::size_t row) {
        const int y = static_cast<int>(row);
        std::vector<double> around;
        for (int x = 0; x < extent_.columns; ++x) {
            around.clear();
            for (int v = std::max(0, y - kAround); v <= std::min(extent_.rows - 1, y + kAround);
                 ++v) {
                for (int u = std::max(0, x - kAround);
                     u <= std::min(extent_.columns - 1, x + kAround);
                     ++u) {
                    const std::size_t k = indexOf(u, v);
                    if (!extent_.isLight[k] && std::isfinite(light[k])) {
                        around.push_back(light[k]);
                    }
                }
            }
            if (around.size() >= kLeastAround) {
                above[indexOf(x, y)] = light[indexOf(x, y)] - medianInPlace(std::span(around));
            }
        }
    });
    return above;
}

/// Adds neighbours that stand out; whether there were any.
bool SkyFit::grow() {
    const std::vector<double> light = contrast(smoothed(cellLight()));
    std::vector<double> dark;
    for (std::size_t k = 0; k < light.size(); ++k) {
        if (!extent_.isLight[k] && std::isfinite(light[k])) {
            dark.push_back(light[k]);
        }
    }
    if (dark.size() < kLeastAround) {
        return false;
    }
    const RobustMoments moments = medianAndDeviation(std::move(dark));
    const double least = moments.centre + kCellStandsOut * moments.sigma;
    CellMask mask{extent_.columns, extent_.rows, extent_.isLight};
    mask.spread([&](std::size_t k) { return light[k] > least; }); // not NaN
    std::vector<bool> wider = std::move(mask.marked);
    draw(wider);
    const bool isWider = wider != extent_.isLight;
    extent_.isLight = std::move(wider);
    return isWider;
}

/// Fits and grows until nothing grows; the light's wings lie a cell beyond what stands out.
Result<double> SkyFit::settle(int degree) {
    beginExtent();
    for (int round = 0; round < kMostRounds; ++round) {
        if (auto fitted = fit(degree); !fitted) {
            return fitted;
        }
        if (targets_.empty() || !grow()) {
            break;
        }
    }
    std::vector<bool> wide =
        CellMask{extent_.columns, extent_.rows, extent_.isLight}.widened().widened().marked;
    draw(wide);
    extent_.isLight = std::move(wide);
    return fit(degree);
}

Result<SmoothSkies> SkyFit::make() {
    placeCells();
    int degree = wishes_.degree.value_or(kStiffDegree);
    auto settled = settle(degree);
    if (!settled && degree > 1 && !wishes_.degree) {
        degree = 1;
        settled = settle(degree);
    }
    if (!settled) {
        return fail(settled.error());
    }
    if (!wishes_.degree) {
        const int most = extent_.share() > kMuchLight ? kStiffDegree : kMostDegree;
        double least = *settled;
        int best = degree;
        for (int other = 1; other <= most; ++other) {
            const auto criterion = fit(other);
            if (criterion && *criterion < least) {
                least = *criterion;
                best = other;
            }
        }
        if (auto last = best == degree ? fit(best) : settle(best); !last) {
            return fail(last.error());
        }
        degree = best;
    }
    SmoothSkies skies;
    for (calibrate::Surface& surface : surfaces_) {
        skies.surfaces.push_back(std::make_shared<const calibrate::Surface>(std::move(surface)));
    }
    skies.extent = extent_;
    skies.degree = degree;
    return skies;
}

} // namespace

bool asDrawn(std::span<const SkyStroke> strokes, const PlanePos& at, double margin, bool isLight) {
    for (const SkyStroke& stroke : strokes) {
        if (std::hypot(at.xi - stroke.at.xi, at.eta - stroke.at.eta) < stroke.radius + margin) {
            isLight = stroke.isLight;
        }
    }
    return isLight;
}

bool LightExtent::holds(const PlanePos& fromTarget) const {
    if (!(cell > 0.0)) {
        return false;
    }
    const CellPlace at = cellAt(fromTarget, cell);
    const int x = at.x - left;
    const int y = at.y - bottom;
    return x >= 0 && y >= 0 && x < columns && y < rows &&
           isLight[static_cast<std::size_t>(y * columns + x)];
}

double LightExtent::share() const {
    return isLight.empty() ? 0.0
                           : static_cast<double>(std::count(isLight.begin(), isLight.end(), true)) /
                                 static_cast<double>(isLight.size());
}

Result<SmoothSkies> smoothSkies(std::span<const StackFrame> frames,
                                std::span<const SkyPos> targets,
                                const SmoothSkyWishes& wishes,
                                const Job& job) {
    if (frames.empty()) {
        return fail(ErrorId::StackNoFrames, "There is no frame to measure the sky of.");
    }
    SkyFit fit(frames, targets, wishes);
    auto sampled = fit.sample(job);
    return sampled ? fit.make() : fail(sampled.error());
}

} // namespace pathmark::stack
