#include "bench/solve/made_frames.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace pathmark::bench {
namespace {

detect::Source sourceAt(double x, double y, double magnitude, double noise) {
    detect::Source s;
    s.x = x;
    s.y = y;
    s.xError = noise;
    s.yError = noise;
    s.flux = std::pow(10.0, 0.4 * (25.0 - magnitude));
    s.snr = 50.0;
    s.fwhm = 2.5;
    return s;
}

/// Counts rise tenfold every 3.3 magnitudes.
double randomMagnitude(double share) {
    return 18.0 + std::log10(share + 1e-9) / 0.3;
}

void sortByFlux(std::vector<detect::Source>& sources) {
    std::sort(sources.begin(), sources.end(), [](const auto& a, const auto& b) {
        return a.flux > b.flux;
    });
}

} // namespace

Made makeFrameOf(const Kind& kind,
                 const std::vector<catalog::StarRow>& rows,
                 double raDegrees,
                 double decDegrees,
                 std::mt19937& random) {
    std::uniform_real_distribution<double> share(0.0, 1.0);
    std::normal_distribution<double> normal;
    Made made;
    made.optics.axis = simulate::unitVector(raDegrees, decDegrees);
    made.optics.arcsecPerPixel = kind.scale;
    made.optics.rotationDegrees = kind.rotation;
    made.optics.mirrored = kind.mirrored;
    made.optics.middleX = 0.5 * (kind.width - 1);
    made.optics.middleY = 0.5 * (kind.height - 1);
    const double diagonal = std::hypot(kind.width, kind.height);
    made.optics.cubic = kind.distortion / std::pow(0.5 * diagonal, 3.0);
    const double reach = std::cos(0.55 * diagonal * kind.scale * kRadiansPerArcsec);
    for (const catalog::StarRow& row : rows) {
        const Vec3 direction = simulate::unitVector(row.raDegrees, row.decDegrees);
        if (dot(direction, made.optics.axis) < reach) {
            continue;
        }
        made.rows.push_back(row);
        const auto p = made.optics.place(direction);
        if (p && p->x > 2.0 && p->y > 2.0 && p->x < kind.width - 3.0 && p->y < kind.height - 3.0 &&
            share(random) >= kind.missing) {
            const auto magnitude = static_cast<double>(row.magG);
            const double noise = 0.02 + 0.2 * std::pow(10.0, 0.2 * (magnitude - 18.0));
            // The frame's band is not the catalogue's: orders of brightness differ.
            made.sources.push_back(sourceAt(p->x + noise * normal(random),
                                            p->y + noise * normal(random),
                                            magnitude + 0.3 * normal(random),
                                            noise));
            ++made.usable;
        }
    }
    const auto stray =
        static_cast<int>(static_cast<double>(made.usable) * kind.spurious / (1.0 - kind.spurious));
    for (int i = 0; i < stray; ++i) {
        made.sources.push_back(sourceAt(share(random) * kind.width,
                                        share(random) * kind.height,
                                        randomMagnitude(share(random)),
                                        0.1));
    }
    sortByFlux(made.sources);
    return made;
}

Made makeFrame(const Kind& kind, std::mt19937& random) {
    std::uniform_real_distribution<double> share(0.0, 1.0);
    const double ra = 360.0 * share(random);
    const double dec = std::asin(1.9 * share(random) - 0.95) / kRadiansPerDegree;
    const double area = kind.width * kind.scale * kind.height * kind.scale / 3600.0 / 3600.0;
    const double density = kind.stars / area;
    const double frameRadius = 0.5 * std::hypot(kind.width, kind.height) * kind.scale / 3600.0;
    const double radius =
        std::max(1.3 * frameRadius,
                 std::min(2.2 + frameRadius, std::sqrt(400000.0 / (std::numbers::pi * density))));
    const auto count = static_cast<int>(density * std::numbers::pi * radius * radius);
    const Vec3 axis = simulate::unitVector(ra, dec);
    Vec3 east = cross({0.0, 0.0, 1.0}, axis);
    east = (1.0 / norm(east)) * east;
    const Vec3 north = cross(axis, east);
    std::vector<catalog::StarRow> rows;
    for (int i = 0; i < count; ++i) {
        const double r = std::tan(radius * kRadiansPerDegree * std::sqrt(share(random)));
        const double t = 2.0 * std::numbers::pi * share(random);
        const Vec3 v = axis + (r * std::cos(t)) * east + (r * std::sin(t)) * north;
        const auto place = simulate::toRaDec((1.0 / norm(v)) * v);
        catalog::StarRow row;
        row.sourceId = i + 1;
        row.raDegrees = place.raDegrees;
        row.decDegrees = place.decDegrees;
        row.raErrorMas = 0.1F;
        row.decErrorMas = 0.1F;
        row.magG = static_cast<float>(randomMagnitude(share(random)));
        rows.push_back(row);
    }
    Made made = makeFrameOf(kind, rows, ra, dec, random);
    made.rows = std::move(rows);
    made.catalogRadius = radius;
    return made;
}

std::vector<detect::Source> makeJunk(int width, int height, int count, std::mt19937& random) {
    std::uniform_real_distribution<double> share(0.0, 1.0);
    std::normal_distribution<double> normal;
    const int form = static_cast<int>(4.0 * share(random));
    const double pitch = std::sqrt(width * static_cast<double>(height) / count);
    std::vector<std::pair<double, double>> centres;
    for (int i = 0; i < 6; ++i) {
        centres.emplace_back(share(random) * width, share(random) * height);
    }
    const auto perRow = std::max(1, static_cast<int>(width / pitch));
    std::vector<detect::Source> sources;
    while (static_cast<int>(sources.size()) < count) {
        const auto i = static_cast<int>(sources.size());
        double x = share(random) * width;
        double y = share(random) * height;
        const auto& [cx, cy] = centres[static_cast<std::size_t>(i % 6)];
        if (form == 1) { // clumps
            x = cx + 0.05 * width * normal(random);
            y = cy + 0.05 * width * normal(random);
        } else if (form == 2) { // a lattice
            x = (i % perRow + 0.5) * pitch + 0.2 * normal(random);
            y = (i / perRow + 0.5) * pitch + 0.2 * normal(random);
        } else if (form == 3 && i % 3 != 0) { // bad columns among stray light
            x = cx + 0.3 * normal(random);
        }
        x = std::clamp(x, 1.0, width - 2.0);
        y = std::clamp(y, 1.0, height - 2.0);
        sources.push_back(sourceAt(x, y, randomMagnitude(share(random)), 0.1));
    }
    sortByFlux(sources);
    return sources;
}

detect::Detection detectionOf(std::vector<detect::Source> sources) {
    detect::FieldShape shape;
    shape.middle = detect::MoffatForm::of(detect::Moffat::round(2.5, 3.0));
    return {detect::Background(frame::Image(64, 64, 100.0F)),
            detect::PointSpreadField(shape),
            std::move(sources),
            2.5,
            1.0};
}

Kind randomKind(std::mt19937& random) {
    std::uniform_real_distribution<double> share(0.0, 1.0);
    const auto logBetween = [&](double low, double high) {
        return low * std::pow(high / low, share(random));
    };
    Kind kind;
    const double pixels = logBetween(0.3e6, 26e6);
    const double ratio = share(random) < 0.5 ? 1.0 : 1.5;
    kind.height = static_cast<int>(std::sqrt(pixels / ratio));
    kind.width = static_cast<int>(ratio * kind.height);
    kind.scale = logBetween(0.3, 6.0);
    kind.stars = static_cast<int>(logBetween(8.0, std::min(20000.0, pixels / 300.0)));
    kind.mirrored = share(random) < 0.5;
    kind.rotation = 360.0 * share(random);
    kind.distortion = 10.0 * share(random);
    kind.missing = share(random) < 0.5 ? 0.1 : 0.0;
    kind.spurious = share(random) < 0.5 ? 0.15 : 0.0;
    kind.hint = static_cast<int>(3.0 * share(random));
    return kind;
}

double worstPixel(const Made& made, const Kind& kind, const frame::Wcs& wcs) {
    double worst = 0.0;
    for (const auto& row : made.rows) {
        const auto truth = made.optics.place(simulate::unitVector(row.raDegrees, row.decDegrees));
        if (!truth || truth->x < 0.0 || truth->y < 0.0 || truth->x > kind.width ||
            truth->y > kind.height) {
            continue;
        }
        const auto pixel = wcs.toPixel(skyDegrees(row.raDegrees, row.decDegrees));
        worst = std::max(worst, pixel ? std::hypot(pixel->x - truth->x, pixel->y - truth->y) : 1e9);
    }
    return worst;
}

} // namespace pathmark::bench
