#include "core/calibrate/colour_planes.h"

#include "core/base/expects.h"
#include "core/base/parallel.h"

#include <algorithm>
#include <array>
#include <cmath>

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

/// A mosaic with its colours; outside the picture it is mirrored, which keeps the pattern.
class Mosaic {
  public:
    Mosaic(const frame::Image& image, const std::string& pattern)
        : image_(image), pattern_(pattern) {}

    [[nodiscard]] int width() const { return image_.width(); }

    [[nodiscard]] int height() const { return image_.height(); }

    [[nodiscard]] float at(int x, int y) const {
        return image_.at(mirrored(x, image_.width()), mirrored(y, image_.height()));
    }

    [[nodiscard]] char colour(int x, int y) const {
        return pattern_[static_cast<std::size_t>(((y % 2 + 2) % 2) * 2 + (x % 2 + 2) % 2)];
    }

  private:
    static int mirrored(int i, int size) {
        const int inside = i < 0 ? -i : i >= size ? 2 * (size - 1) - i : i;
        return std::clamp(inside, 0, size - 1);
    }

    const frame::Image& image_;
    const std::string& pattern_;
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

} // namespace

PlaneGeometry planeGeometry(Colour colour, const std::string& pattern) {
    if (colour == Colour::Keep || colour == Colour::Full) {
        return {1.0, 0.0, 0.0};
    }
    if (colour == Colour::Sum || colour == Colour::Green) {
        return {2.0, 0.5, 0.5};
    }
    const std::size_t place = pattern.find(letterOf(colour));
    PATHMARK_EXPECTS(place < 4);
    const std::size_t row = place / 2;
    const std::size_t column = place % 2;
    return {2.0, static_cast<double>(column), static_cast<double>(row)};
}

frame::Image takePlane(const frame::Image& mosaic, Colour colour, const std::string& pattern) {
    PATHMARK_EXPECTS(pattern.size() == 4);
    if (colour == Colour::Keep) {
        return mosaic;
    }
    std::array<float, 4> weights{1.0F, 1.0F, 1.0F, 1.0F};
    if (colour != Colour::Sum) {
        const auto seen =
            static_cast<float>(std::count(pattern.begin(), pattern.end(), letterOf(colour)));
        for (std::size_t k = 0; k < 4; ++k) {
            weights[k] = pattern[k] == letterOf(colour) ? 1.0F / seen : 0.0F;
        }
    }
    frame::Image half(mosaic.width() / 2, mosaic.height() / 2);
    for (int y = 0; y < half.height(); ++y) {
        for (int x = 0; x < half.width(); ++x) {
            float sum = 0.0F;
            for (int k = 0; k < 4; ++k) {
                // A weight of zero must not let a defect of another colour through.
                if (const float w = weights[static_cast<std::size_t>(k)]; w > 0.0F) {
                    sum += w * mosaic.at(2 * x + k % 2, 2 * y + k / 2);
                }
            }
            half.at(x, y) = sum;
        }
    }
    return half;
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

ColourImage demosaic(const frame::Image& image, const std::string& pattern) {
    PATHMARK_EXPECTS(pattern.size() == 4);
    const Mosaic mosaic(image, pattern);
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
