#include "core/stack/sky_levels.h"

#include "core/stack/pixel_kernels.h"

#include <algorithm>
#include <cmath>

namespace pathmark::stack {
namespace {

constexpr int kThinning = 4;
constexpr int kSmall = 600;     ///< pixels of a frame's shorter side below which every pixel counts
constexpr double kBlend = 1.25; ///< radii of a disc where its bridge has faded into the mesh

/// Every `step`-th row, and the mean of so many columns.
Result<frame::Image> thinned(frame::FrameSource& reader, int step) {
    if (step == 1) {
        return reader.image();
    }
    frame::Image image(reader.width() / step, reader.height() / step);
    std::vector<float> row(static_cast<std::size_t>(reader.width()));
    for (int y = 0; y < image.height(); ++y) {
        if (auto read = reader.rows(y * step, row); !read) {
            return fail(read.error());
        }
        for (int x = 0; x < image.width(); ++x) {
            const float* first = row.data() + static_cast<std::ptrdiff_t>(x) * step;
            float sum = 0.0F;
            for (int k = 0; k < step; ++k) {
                sum += first[k];
            }
            image.at(x, y) = sum / static_cast<float>(step); // NaN where one of them has no value
        }
    }
    return image;
}

} // namespace

Result<SkyLevels> SkyLevels::measure(frame::FrameSource& reader,
                                     std::span<const calibrate::ProtectedDisc> protect) {
    const int step = std::min(reader.width(), reader.height()) < kSmall ? 1 : kThinning;
    auto image = thinned(reader, step);
    if (!image) {
        return fail(image.error());
    }
    Mesh mesh{step, detect::Background(*image, step == 1 ? 64 : 32), {}};
    for (const auto& disc : protect) {
        mesh.bridge(*image, disc);
    }
    return SkyLevels(
        [&](double x, double y) { return mesh.at(x, y); }, reader.width(), reader.height());
}

SkyLevels SkyLevels::of(const calibrate::Surface& surface, int width, int height) {
    return SkyLevels([&](double x, double y) { return surface.at(x, y); }, width, height);
}

void SkyLevels::Mesh::bridge(const frame::Image& image, const calibrate::ProtectedDisc& whole) {
    const calibrate::ProtectedDisc disc{
        {(whole.centre.x - 0.5 * (step - 1)) / step, whole.centre.y / step},
        kBlend * whole.radius / step};
    const int reach = static_cast<int>(std::ceil(2.5 * disc.radius)) + 16;
    const int left = std::clamp(static_cast<int>(disc.centre.x) - reach, 0, image.width());
    const int right = std::clamp(static_cast<int>(disc.centre.x) + reach, left, image.width());
    const int top = std::clamp(static_cast<int>(disc.centre.y) - reach, 0, image.height());
    const int bottom = std::clamp(static_cast<int>(disc.centre.y) + reach, top, image.height());
    if (right - left < 24 || bottom - top < 24) {
        return; // it lies beside the frame
    }
    frame::Image part(right - left, bottom - top);
    for (int y = top; y < bottom; ++y) {
        const auto row = image.row(y).subspan(static_cast<std::size_t>(left), part.row(0).size());
        std::copy(row.begin(), row.end(), part.row(y - top).begin());
    }
    calibrate::SurfaceOptions options;
    options.boxPixels = std::clamp(disc.radius / 5.0, 8.0, 32.0);
    options.protect.push_back({{disc.centre.x - left, disc.centre.y - top}, disc.radius});
    auto samples = calibrate::sampleSurface(part, options);
    auto surface = calibrate::fitSurface(samples, part.width(), part.height(), options);
    if (!surface) {
        options.degree = 1;
        surface = calibrate::fitSurface(samples, part.width(), part.height(), options);
    }
    if (surface) {
        bridges.push_back({disc, left, top, std::move(*surface)});
    }
}

double SkyLevels::Mesh::at(double x, double y) const {
    const double u = (x - 0.5 * (step - 1)) / step;
    const double v = y / step;
    auto level = static_cast<double>(levels.level(u, v));
    for (const Bridge& bridge : bridges) {
        const double distance =
            std::hypot(u - bridge.disc.centre.x, v - bridge.disc.centre.y) / bridge.disc.radius;
        if (distance < 1.0) {
            // The disc's own radius is kBlend times that of what is protected.
            const double inner = 1.0 / kBlend;
            const double share = std::clamp((1.0 - distance) / (1.0 - inner), 0.0, 1.0);
            level += share * (bridge.surface.at(u - bridge.left, v - bridge.top) - level);
        }
    }
    return level;
}

template <class F>
SkyLevels::SkyLevels(const F& levelAt, int width, int height) {
    columns_ = (width + kRun - 1) / kRun + 1;
    const int rows = (height + kRun - 1) / kRun + 1;
    nodes_.reserve(static_cast<std::size_t>(columns_) * static_cast<std::size_t>(rows));
    for (int row = 0; row < rows; ++row) {
        for (int column = 0; column < columns_; ++column) {
            nodes_.push_back(static_cast<float>(levelAt(column * kRun, row * kRun)));
        }
    }
}

double SkyLevels::at(double x, double y) const {
    const auto columns = static_cast<std::size_t>(columns_);
    const auto column = std::min(static_cast<std::size_t>(std::max(0.0, x) / kRun), columns - 2);
    const auto row =
        std::min(static_cast<std::size_t>(std::max(0.0, y) / kRun), nodes_.size() / columns - 2);
    const double u = x / kRun - static_cast<double>(column);
    const double v = y / kRun - static_cast<double>(row);
    const auto node = [&](std::size_t i, std::size_t j) {
        return static_cast<double>(nodes_[(row + j) * columns + column + i]);
    };
    return (1.0 - v) * ((1.0 - u) * node(0, 0) + u * node(1, 0)) +
           v * ((1.0 - u) * node(0, 1) + u * node(1, 1));
}

void SkyLevels::takeOff(int y, std::span<float> row) const {
    // Meshes, bridges and surfaces are smooth: linear over sixteen pixels.
    const auto columns = static_cast<std::size_t>(columns_);
    const auto above =
        std::span(nodes_).subspan(static_cast<std::size_t>(y / kRun) * columns, columns);
    const auto below =
        std::span(nodes_).subspan(static_cast<std::size_t>(y / kRun + 1) * columns, columns);
    const float part = static_cast<float>(y % kRun) / kRun;
    std::vector<float> levels(columns);
    for (std::size_t i = 0; i < columns; ++i) {
        levels[i] = above[i] + part * (below[i] - above[i]);
    }
    subtractLevels(levels, row);
}

} // namespace pathmark::stack
