#include "core/calibrate/colour_planes.h"

#include "core/base/expects.h"
#include "core/base/parallel.h"

#include <Eigen/Dense>

#include <algorithm>
#include <array>
#include <cmath>
#include <vector>

namespace pathmark::calibrate {
namespace {

char letterOf(Colour colour) {
    return colour == Colour::Red ? 'R' : colour == Colour::Blue ? 'B' : 'G';
}

frame::SipPolynomial scaledSip(const frame::SipPolynomial& raw, double step) {
    if (raw.order() == 0) {
        return raw; // no distortion
    }
    frame::SipPolynomial result(raw.order());
    for (int p = 0; p <= raw.order(); ++p) {
        for (int q = 0; p + q <= raw.order(); ++q) {
            result.setCoefficient(p, q, raw.coefficient(p, q) * std::pow(step, p + q - 1));
        }
    }
    return result;
}

/// A mosaic with its colours; outside the picture it is mirrored, or of a square of 6 x 6 repeated, which keeps the pattern.
class Mosaic {
  public:
    Mosaic(const frame::Image& image, const frame::ColourPattern& pattern)
        : image_(image), pattern_(pattern) {}

    [[nodiscard]] int width() const { return image_.width(); }

    [[nodiscard]] int height() const { return image_.height(); }

    [[nodiscard]] float at(int x, int y) const {
        return image_.at(inside(x, image_.width()), inside(y, image_.height()));
    }

    [[nodiscard]] char colour(int x, int y) const { return pattern_.at(x, y); }

  private:
    [[nodiscard]] int inside(int i, int size) const {
        const bool mirrors = pattern_.side() == 2;
        const int before = mirrors ? -i : i + pattern_.side();
        const int behind = mirrors ? 2 * (size - 1) - i : i - pattern_.side();
        return std::clamp(i < 0 ? before : i >= size ? behind : i, 0, size - 1);
    }

    const frame::Image& image_;
    const frame::ColourPattern& pattern_;
};

/// Green at a red or blue pixel: along the axis of least change.
float greenAt(const Mosaic& m, int x, int y) {
    const float own = 2.0F * m.at(x, y);
    const float second = own - m.at(x - 2, y) - m.at(x + 2, y);
    const float secondV = own - m.at(x, y - 2) - m.at(x, y + 2);
    const float changeH = std::abs(m.at(x - 1, y) - m.at(x + 1, y)) + std::abs(second);
    const float changeV = std::abs(m.at(x, y - 1) - m.at(x, y + 1)) + std::abs(secondV);
    const float alongH = 0.5F * (m.at(x - 1, y) + m.at(x + 1, y)) + 0.25F * second;
    const float alongV = 0.5F * (m.at(x, y - 1) + m.at(x, y + 1)) + 0.25F * secondV;
    return changeH < changeV ? alongH : changeV < changeH ? alongV : 0.5F * (alongH + alongV);
}

/// Another colour than green where it is not seen: its difference from green, from the nearest that see it.
float otherAt(const Mosaic& m, const frame::Image& green, char wanted, int x, int y) {
    float sum = 0.0F;
    int count = 0;
    for (int dy = -1; dy <= 1; ++dy) {
        for (int dx = -1; dx <= 1; ++dx) {
            const int i = x + dx;
            const int j = y + dy;
            if (i >= 0 && j >= 0 && i < m.width() && j < m.height() && m.colour(i, j) == wanted) {
                sum += m.at(i, j) - green.at(i, j);
                ++count;
            }
        }
    }
    return count > 0 ? green.at(x, y) + sum / static_cast<float>(count) : green.at(x, y);
}

constexpr int kReach = 2; ///< pixels each way that a colour is taken from

struct NearPixel {
    int dx = 0;
    int dy = 0;
    float weight = 0.0F;
};

/// The weights with which a colour's nearest pixels make its value at a pixel of the pattern: the plane of least squares through them.
std::vector<NearPixel> nearestOf(const frame::ColourPattern& pattern, char colour, int x, int y) {
    if (pattern.at(x, y) == colour) {
        return {{0, 0, 1.0F}};
    }
    std::vector<NearPixel> near;
    Eigen::Matrix3d normal = Eigen::Matrix3d::Zero();
    for (int dy = -kReach; dy <= kReach; ++dy) {
        for (int dx = -kReach; dx <= kReach; ++dx) {
            if (pattern.at(x + dx, y + dy) == colour) {
                const double nearness = 1.0 / (dx * dx + dy * dy);
                const Eigen::Vector3d row(1.0, dx, dy);
                normal += nearness * nearness * row * row.transpose();
                near.push_back({dx, dy, static_cast<float>(nearness * nearness)});
            }
        }
    }
    // The value at the pixel itself is the first of the plane's three numbers.
    const Eigen::Vector3d first = normal.ldlt().solve(Eigen::Vector3d::UnitX());
    for (NearPixel& pixel : near) {
        pixel.weight *= static_cast<float>(first.dot(Eigen::Vector3d(1.0, pixel.dx, pixel.dy)));
    }
    return near;
}

/// A colour at every pixel of a mosaic whose pattern is of 6 x 6.
frame::Image
planeThroughNearest(const Mosaic& mosaic, const frame::ColourPattern& pattern, char colour) {
    std::vector<std::vector<NearPixel>> weights;
    weights.reserve(pattern.letters().size());
    for (int k = 0; k < pattern.side() * pattern.side(); ++k) {
        weights.push_back(nearestOf(pattern, colour, k % pattern.side(), k / pattern.side()));
    }
    frame::Image plane(mosaic.width(), mosaic.height());
    parallelFor(static_cast<std::size_t>(plane.height()), [&](std::size_t row) {
        const int y = static_cast<int>(row);
        for (int x = 0; x < plane.width(); ++x) {
            float sum = 0.0F;
            const int place = y % pattern.side() * pattern.side() + x % pattern.side();
            for (const NearPixel& near : weights[static_cast<std::size_t>(place)]) {
                sum += near.weight * mosaic.at(x + near.dx, y + near.dy);
            }
            plane.at(x, y) = sum;
        }
    });
    return plane;
}

} // namespace

PlaneGeometry planeGeometry(Colour colour, const std::string& pattern) {
    if (colour == Colour::Keep || colour == Colour::Full) {
        return {1.0, 0.0, 0.0};
    }
    const auto known = knownPattern(pattern);
    if (known.side() != 2 || colour == Colour::Sum || colour == Colour::Green) {
        const double middle = 0.5 * (known.cell() - 1);
        return {
            static_cast<double>(known.cell()), known.firstX() + middle, known.firstY() + middle};
    }
    const std::size_t place = pattern.find(letterOf(colour));
    const std::size_t row = place / 2;
    const std::size_t column = place % 2;
    return {2.0, static_cast<double>(column), static_cast<double>(row)};
}

frame::ColourPattern knownPattern(const std::string& letters) {
    auto known = frame::ColourPattern::of(letters);
    PATHMARK_EXPECTS(known.has_value());
    return *known;
}

int pixelsSummed(Colour colour, const std::string& pattern) {
    const int cell = knownPattern(pattern).cell();
    return colour == Colour::Sum ? cell * cell : 1;
}

int pixelsAveraged(Colour colour, const std::string& pattern) {
    return colour == Colour::Sum ? 1 : knownPattern(pattern).countInCell(letterOf(colour));
}

namespace {

/// A raw pixel that is taken into one of a plane, counted from its cell's first.
struct CellPixel {
    int x = 0;
    int y = 0;
};

/// What is taken of the cells; those of a square of 6 x 6 are of four kinds, those of 2 x 2 of one.
std::vector<CellPixel>
takenFrom(const frame::ColourPattern& pattern, Colour colour, int cellX, int cellY) {
    std::vector<CellPixel> taken;
    for (int y = 0; y < pattern.cell(); ++y) {
        for (int x = 0; x < pattern.cell(); ++x) {
            const char seen = pattern.at(pattern.firstX() + cellX * pattern.cell() + x,
                                         pattern.firstY() + cellY * pattern.cell() + y);
            if (colour == Colour::Sum || seen == letterOf(colour)) {
                taken.push_back({x, y});
            }
        }
    }
    return taken;
}

} // namespace

frame::Image
takePlane(const frame::Image& mosaic, Colour colour, const std::string& pattern, double ceiling) {
    if (colour == Colour::Keep) {
        return mosaic;
    }
    const auto known = knownPattern(pattern);
    const int cell = known.cell();
    std::array<std::vector<CellPixel>, 4> kinds;
    for (int kind = 0; kind < 4; ++kind) {
        kinds[static_cast<std::size_t>(kind)] = takenFrom(known, colour, kind % 2, kind / 2);
    }
    const auto averaged = static_cast<float>(pixelsAveraged(colour, pattern));
    const auto limit = static_cast<float>(ceiling);
    // Rounded up: what is compared with the product itself must not fall below it.
    const float lifted = std::nextafter(static_cast<float>(ceiling * pixelsSummed(colour, pattern)),
                                        std::numeric_limits<float>::infinity());
    frame::Image plane((mosaic.width() - known.firstX()) / cell,
                       (mosaic.height() - known.firstY()) / cell);
    for (int y = 0; y < plane.height(); ++y) {
        const int y0 = known.firstY() + cell * y;
        for (int x = 0; x < plane.width(); ++x) {
            const int x0 = known.firstX() + cell * x;
            float sum = 0.0F;
            bool isSaturated = false;
            for (const CellPixel& pixel : kinds[static_cast<std::size_t>(y % 2 * 2 + x % 2)]) {
                const float v = mosaic.at(x0 + pixel.x, y0 + pixel.y);
                sum += v;
                isSaturated = isSaturated || v >= limit;
            }
            const float value = sum / averaged;
            plane.at(x, y) = isSaturated ? std::max(value, lifted) : value;
        }
    }
    return plane;
}

frame::Wcs wcsOfPlane(const frame::Wcs& raw, const PlaneGeometry& plane) {
    frame::Wcs wcs = raw;
    wcs.referencePixel = {(raw.referencePixel.x - plane.x) / plane.step,
                          (raw.referencePixel.y - plane.y) / plane.step};
    for (double& element : wcs.cd) {
        element *= plane.step;
    }
    wcs.a = scaledSip(raw.a, plane.step);
    wcs.b = scaledSip(raw.b, plane.step);
    wcs.ap = scaledSip(raw.ap, plane.step);
    wcs.bp = scaledSip(raw.bp, plane.step);
    return wcs;
}

ColourImage demosaic(const frame::Image& image, const std::string& letters) {
    const auto pattern = knownPattern(letters);
    const Mosaic mosaic(image, pattern);
    if (pattern.side() != 2) {
        return {planeThroughNearest(mosaic, pattern, 'R'),
                planeThroughNearest(mosaic, pattern, 'G'),
                planeThroughNearest(mosaic, pattern, 'B')};
    }
    ColourImage result{image, image, image};
    const auto rows = static_cast<std::size_t>(image.height());
    parallelFor(rows, [&](std::size_t row) {
        const int y = static_cast<int>(row);
        for (int x = 0; x < image.width(); ++x) {
            if (mosaic.colour(x, y) != 'G') {
                result.green.at(x, y) = greenAt(mosaic, x, y);
            }
        }
    });
    parallelFor(rows, [&](std::size_t row) {
        const int y = static_cast<int>(row);
        for (int x = 0; x < image.width(); ++x) {
            if (mosaic.colour(x, y) != 'R') {
                result.red.at(x, y) = otherAt(mosaic, result.green, 'R', x, y);
            }
            if (mosaic.colour(x, y) != 'B') {
                result.blue.at(x, y) = otherAt(mosaic, result.green, 'B', x, y);
            }
        }
    });
    return result;
}

} // namespace pathmark::calibrate
