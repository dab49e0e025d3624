#include "core/identify/link_tracks.h"

#include "core/base/parallel.h"
#include "core/base/point_grid.h"
#include "core/identify/motion_fit.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <memory>
#include <numbers>
#include <numeric>
#include <set>

namespace pathmark::identify {
namespace {

struct Spot {
    double x = 0.0; ///< arcsec in the common plane
    double y = 0.0;
    double sigma = 0.0;
    std::size_t source = 0;
    bool isStar = false;
};

/// A frame in the common tangent plane.
struct Plane {
    double minutes = 0.0;
    std::vector<std::array<double, 2>> corners;
    double area = 0.0; ///< square arcsec
    std::vector<Spot> spots;
    std::unique_ptr<PointGrid<Spot>> grid;
    double left = 0.0, bottom = 0.0, right = 0.0, top = 0.0;

    void makeGrid() {
        const double cell =
            std::max(2.0, std::sqrt(area / (1.0 + static_cast<double>(spots.size()))));
        grid = std::make_unique<PointGrid<Spot>>(spots, cell, left, bottom, right, top);
    }

    [[nodiscard]] bool sees(double x, double y) const {
        bool inside = false;
        for (std::size_t i = 0, j = corners.size() - 1; i < corners.size(); j = i++) {
            const auto& a = corners[i];
            const auto& b = corners[j];
            if ((a[1] > y) != (b[1] > y) && x < (b[0] - a[0]) * (y - a[1]) / (b[1] - a[1]) + a[0]) {
                inside = !inside;
            }
        }
        return inside;
    }

    [[nodiscard]] double density() const {
        return static_cast<double>(spots.size()) / std::max(area, 1.0);
    }

    /// Spots a square arcsec around a place, the one at the place itself left out: in a coma or around a bright star they
    /// stand far closer than elsewhere. Where they do not, that of the frame is known better.
    [[nodiscard]] double densityAround(double x, double y) const {
        constexpr double radius = 45.0;
        constexpr double circle = std::numbers::pi * radius * radius;
        int count = -1;
        grid->forNear(x, y, radius, [&](std::size_t, double) { ++count; });
        return count > 3.0 + 3.0 * circle * density() ? count / circle : density();
    }
};

std::array<double, 2> inPlane(const SkyPos& centre, const SkyPos& sky) {
    const PlanePos p = toTangentPlane(centre, sky);
    return {p.xi / kRadiansPerArcsec, p.eta / kRadiansPerArcsec};
}

Plane planeOf(const LinkFrame& frame, const SkyPos& centre, const Utc& reference) {
    Plane plane;
    plane.minutes = frame.middle.secondsSince(reference) / 60.0;
    plane.left = plane.bottom = 1e18;
    plane.right = plane.top = -1e18;
    for (const SkyPos& corner : frame.corners) {
        const auto p = inPlane(centre, corner);
        plane.corners.push_back(p);
        plane.left = std::min(plane.left, p[0]);
        plane.right = std::max(plane.right, p[0]);
        plane.bottom = std::min(plane.bottom, p[1]);
        plane.top = std::max(plane.top, p[1]);
    }
    for (std::size_t i = 0, j = plane.corners.size() - 1; i < plane.corners.size(); j = i++) {
        plane.area += 0.5 * (plane.corners[j][0] * plane.corners[i][1] -
                             plane.corners[i][0] * plane.corners[j][1]);
    }
    plane.area = std::abs(plane.area);
    for (std::size_t i = 0; i < frame.sources.size(); ++i) {
        const auto p = inPlane(centre, frame.sources[i].sky);
        plane.spots.push_back(
            {p[0], p[1], frame.sources[i].sigmaArcsec, i, frame.sources[i].isStar});
    }
    return plane;
}

/// The spot of least chi-square within the gate of a place, if any.
struct Hit {
    const Spot* spot = nullptr;
    double chiSquare = 0.0;
};

Hit nearest(const Plane& plane, double x, double y, double variance, double gate) {
    // Spots of a frame have about the same error; the largest one bounds the circle to look in.
    constexpr double largestSigma = 1.5;
    const double radius = std::sqrt(gate * (variance + largestSigma * largestSigma));
    Hit best;
    plane.grid->forNear(x, y, radius, [&](std::size_t i, double square) {
        const Spot& s = plane.spots[i];
        const double chi = square / (variance + s.sigma * s.sigma);
        if (chi < gate && (best.spot == nullptr || chi < best.chiSquare)) {
            best = {&s, chi};
        }
    });
    return best;
}

/// Logarithm (10) of the chance of `hits` or more among trials of a given chance each, by Poisson's law.
double tailLog10(double expected, int hits) {
    double term = -expected;
    for (int k = 1; k <= hits; ++k) {
        term += std::log(expected) - std::log(static_cast<double>(k));
    }
    double sum = 0.0;
    double ratio = 1.0;
    for (int k = hits; k < hits + 60; ++k) {
        sum += ratio;
        ratio *= expected / static_cast<double>(k + 1);
    }
    return hits == 0 ? 0.0 : (term + std::log(sum)) / std::numbers::ln10;
}

/// How often a source must be seen at its place to stand still: so often that chance brings as many there in one place of a
/// hundred only, but no oftener than the share says.
int enoughForStill(double byChance, int looked, double share) {
    const int most = std::max(1, static_cast<int>(std::ceil(share * looked)));
    int enough = 1;
    while (enough < most && tailLog10(std::max(byChance, 1e-9), enough) > -2.0) {
        ++enough;
    }
    return enough;
}

/// Takes away what is seen at its place in other frames, far enough apart in time for a body to have moved on.
void removeStill(std::vector<Plane>& planes, const LinkOptions& options) {
    constexpr double gate = 16.0;
    std::vector<std::vector<char>> still(planes.size());
    parallelFor(planes.size(), [&](std::size_t f) {
        still[f].assign(planes[f].spots.size(), 0);
        for (std::size_t i = 0; i < planes[f].spots.size(); ++i) {
            const Spot& s = planes[f].spots[i];
            int looked = 0;
            int seen = 0;
            double byChance = 0.0;
            for (std::size_t g = 0; g < planes.size() && !s.isStar; ++g) {
                const double apart = std::abs(planes[g].minutes - planes[f].minutes);
                if (g == f || options.leastArcsecPerMin * apart < 4.0 * s.sigma ||
                    !planes[g].sees(s.x, s.y)) {
                    continue;
                }
                ++looked;
                byChance += planes[g].density() * std::numbers::pi * gate * 2.0 * s.sigma * s.sigma;
                seen +=
                    nearest(planes[g], s.x, s.y, s.sigma * s.sigma, gate).spot != nullptr ? 1 : 0;
            }
            const bool stands =
                looked > 0 && seen >= enoughForStill(byChance, looked, options.stillShare);
            still[f][i] = s.isStar || stands ? 1 : 0;
        }
    });
    for (std::size_t f = 0; f < planes.size(); ++f) {
        std::vector<Spot> moving;
        for (std::size_t i = 0; i < planes[f].spots.size(); ++i) {
            if (still[f][i] == 0) {
                moving.push_back(planes[f].spots[i]);
            }
        }
        planes[f].spots = std::move(moving);
        planes[f].makeGrid();
    }
}

/// Logarithm (10) of the chance that a body seen in half the frames is seen in so few of those that looked.
double missesLog10(int looked, int seen) {
    double sum = 0.0;
    double term = -looked * std::numbers::ln2; // logarithm of the chance that exactly k did
    for (int k = 0; k <= seen; ++k) {
        sum += std::exp(term);
        term += std::log((looked - k) / (k + 1.0));
    }
    return std::log10(std::min(1.0, sum));
}

struct Grown {
    std::vector<std::pair<std::size_t, const Spot*>> members; ///< frame and spot
    double score = 0.0; ///< log10 of the chance, pairs not counted
    int looked = 0;
};

/// Follows a pair through all other frames, the nearest in time first.
Grown grow(const std::vector<Plane>& planes,
           std::size_t f,
           const Spot& a,
           std::size_t g,
           const Spot& b,
           const LinkOptions& options) {
    Grown grown;
    MotionFit fit(options.bendArcsecPerHour2 / 3600.0);
    fit.add(planes[f].minutes, a.x, a.y, a.sigma);
    fit.add(planes[g].minutes, b.x, b.y, b.sigma);
    grown.members = {{f, &a}, {g, &b}};
    std::vector<std::size_t> order;
    for (std::size_t k = 0; k < planes.size(); ++k) {
        if (k != f && k != g) {
            order.push_back(k);
        }
    }
    const double middle = 0.5 * (planes[f].minutes + planes[g].minutes);
    std::sort(order.begin(), order.end(), [&](std::size_t p, std::size_t q) {
        return std::abs(planes[p].minutes - middle) < std::abs(planes[q].minutes - middle);
    });
    double expected = 0.0;
    double closeness = 0.0;
    int misses = 0;
    for (const std::size_t k : order) {
        const auto p = fit.at(planes[k].minutes);
        if (!planes[k].sees(p.xi, p.eta)) {
            continue;
        }
        ++grown.looked;
        const Hit hit = nearest(planes[k], p.xi, p.eta, p.variance, kGate);
        const double sigma = hit.spot != nullptr ? hit.spot->sigma : a.sigma;
        expected += planes[k].densityAround(p.xi, p.eta) * std::numbers::pi * kGate *
                    (p.variance + sigma * sigma);
        if (hit.spot == nullptr) {
            // Three misses and not one hit: no body.
            if (++misses >= 3 && grown.members.size() == 2) {
                break;
            }
            continue;
        }
        // How much rather a body than chance brings a spot so near the middle of the gate.
        closeness += std::log10(0.5 * kGate) - 0.5 * hit.chiSquare / std::numbers::ln10;
        fit.add(planes[k].minutes, hit.spot->x, hit.spot->y, hit.spot->sigma);
        grown.members.emplace_back(k, hit.spot);
    }
    grown.looked += 2;
    const int seen = static_cast<int>(grown.members.size());
    grown.score = tailLog10(std::max(expected, 1e-12), seen - 2) - closeness -
                  missesLog10(grown.looked, seen);
    return grown;
}

/// Pairs of frames that are tried as starts: each with the next few that lie far enough apart to tell a motion.
std::vector<std::pair<std::size_t, std::size_t>> startPairs(const std::vector<Plane>& planes) {
    constexpr int partners = 4;
    std::vector<std::pair<std::size_t, std::size_t>> pairs;
    for (std::size_t f = 0; f < planes.size(); ++f) {
        int taken = 0;
        for (std::size_t g = f + 1; g < planes.size() && taken < partners; ++g) {
            if (planes[g].minutes - planes[f].minutes > 0.01) {
                pairs.emplace_back(f, g);
                ++taken;
            }
        }
    }
    return pairs;
}

Track toTrack(const Grown& grown,
              const std::vector<Plane>& planes,
              const std::vector<std::size_t>& order,
              const SkyPos& centre,
              const Utc& reference,
              const LinkOptions& options) {
    Track track;
    MotionFit fit(options.bendArcsecPerHour2 / 3600.0);
    auto members = grown.members;
    std::sort(members.begin(), members.end(), [](const auto& a, const auto& b) {
        return a.first < b.first;
    });
    double sum = 0.0;
    for (const auto& [f, spot] : members) {
        fit.add(planes[f].minutes, spot->x, spot->y, spot->sigma);
        track.members.push_back({order[f], spot->source});
        sum += planes[f].minutes;
    }
    const double middle = sum / static_cast<double>(members.size());
    const auto p = fit.at(middle);
    const auto rate = fit.rate(middle);
    track.reference = reference.plusSeconds(60.0 * middle);
    track.place = fromTangentPlane(centre, {p.xi * kRadiansPerArcsec, p.eta * kRadiansPerArcsec});
    track.xiArcsecPerMin = rate[0];
    track.etaArcsecPerMin = rate[1];
    track.rateSigma = fit.rateSigma(middle);
    track.xiBend = fit.bend()[0];
    track.etaBend = fit.bend()[1];
    track.chiSquare = fit.chiSquare();
    track.freedom = 2 * fit.count() - 4;
    track.framesLooked = grown.looked;
    track.falseTracksLog10 = grown.score;
    return track;
}

} // namespace

SkyPos Track::at(const Utc& time) const {
    const double t = time.secondsSince(reference) / 60.0;
    const double xi = (xiArcsecPerMin + 0.5 * xiBend * t) * t;
    const double eta = (etaArcsecPerMin + 0.5 * etaBend * t) * t;
    return fromTangentPlane(place, {xi * kRadiansPerArcsec, eta * kRadiansPerArcsec});
}

std::vector<Track> linkTracks(std::span<const LinkFrame> frames, const LinkOptions& options) {
    if (frames.size() < static_cast<std::size_t>(std::max(3, options.leastFrames))) {
        return {};
    }
    std::vector<std::size_t> order(frames.size());
    std::iota(order.begin(), order.end(), std::size_t{0});
    std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
        return frames[a].middle < frames[b].middle;
    });
    const Utc reference = frames[order.front()].middle;
    Vec3 sum{};
    for (const LinkFrame& frame : frames) {
        for (const SkyPos& corner : frame.corners) {
            sum = sum + corner.vector();
        }
    }
    const SkyPos centre = SkyPos::fromVector(sum);
    std::vector<Plane> planes;
    planes.reserve(frames.size());
    for (const std::size_t f : order) {
        planes.push_back(planeOf(frames[f], centre, reference));
    }
    // Only now: a grid keeps the address of its spots.
    for (Plane& plane : planes) {
        plane.makeGrid();
    }
    removeStill(planes, options);

    const auto pairs = startPairs(planes);
    std::vector<std::vector<Grown>> found(pairs.size());
    std::vector<double> starts(pairs.size(), 0.0);
    parallelFor(pairs.size(), [&](std::size_t k) {
        const std::size_t f = pairs[k].first;
        const std::size_t g = pairs[k].second;
        const double minutes = planes[g].minutes - planes[f].minutes;
        for (const Spot& a : planes[f].spots) {
            const double reach = options.mostArcsecPerMin * minutes;
            planes[g].grid->forNear(a.x, a.y, reach, [&](std::size_t i, double square) {
                const Spot& b = planes[g].spots[i];
                if (std::sqrt(square) < options.leastArcsecPerMin * minutes) {
                    return;
                }
                starts[k] += 1.0;
                Grown grown = grow(planes, f, a, g, b, options);
                if (static_cast<int>(grown.members.size()) >= options.leastFrames) {
                    found[k].push_back(std::move(grown));
                }
            });
        }
    });
    const double tried =
        std::log10(std::max(1.0, std::accumulate(starts.begin(), starts.end(), 0.0)));
    std::vector<Grown> all;
    for (auto& list : found) {
        all.insert(all.end(), list.begin(), list.end());
    }
    for (Grown& grown : all) {
        grown.score += tried;
    }
    std::stable_sort(
        all.begin(), all.end(), [](const Grown& a, const Grown& b) { return a.score < b.score; });
    std::vector<Track> tracks;
    std::set<std::pair<std::size_t, std::size_t>> taken;
    for (const Grown& grown : all) {
        if (grown.score > std::log10(options.mostFalseTracks)) {
            break;
        }
        const bool free =
            std::none_of(grown.members.begin(), grown.members.end(), [&](const auto& m) {
                return taken.contains({m.first, m.second->source});
            });
        if (!free) {
            continue;
        }
        Track track = toTrack(grown, planes, order, centre, reference, options);
        const double minutes = planes[grown.members.back().first].minutes -
                               planes[grown.members.front().first].minutes;
        if (std::hypot(track.xiArcsecPerMin, track.etaArcsecPerMin) * std::abs(minutes) <
            options.leastTravelArcsec) {
            continue;
        }
        // Pairs a minute apart seem to move by their errors alone; the whole track knows better.
        if (std::hypot(track.xiArcsecPerMin, track.etaArcsecPerMin) <
            std::max(options.leastArcsecPerMin, 4.0 * track.rateSigma)) {
            continue;
        }
        for (const auto& [f, spot] : grown.members) {
            taken.insert({f, spot->source});
        }
        tracks.push_back(std::move(track));
    }
    return tracks;
}

} // namespace pathmark::identify
