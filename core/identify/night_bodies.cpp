#include "core/identify/night_bodies.h"

#include "core/base/parallel.h"
#include "core/identify/deviation.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>
#include <numeric>
#include <unordered_map>

namespace pathmark::identify {
namespace {

/// Circles up to this size are found through the cells; the few larger ones are asked one by one.
constexpr double kSmallRadians = 1.5 * kRadiansPerDegree;
/// A circle as large as this is no help: the body is integrated.
constexpr double kUselessRadians = 8.0 * kRadiansPerDegree;
/// Rounding of the elements, the float columns, light time to first order, the observer at the geocentre.
constexpr double kSlackRadians = 20.0 * kRadiansPerArcsec;
constexpr int kBands = 90; // of 2 degrees
constexpr std::size_t kBlock = 4096;

/// Cells of about two degrees: bands of declination cut in right ascension.
class SkyCells {
  public:
    SkyCells() {
        for (int band = 0; band < kBands; ++band) {
            first_.push_back(total_);
            const double middle = (band + 0.5) * std::numbers::pi / kBands - 0.5 * std::numbers::pi;
            total_ += std::max(1, static_cast<int>(2.0 * kBands * std::cos(middle)));
        }
        first_.push_back(total_);
    }

    [[nodiscard]] int count() const { return total_; }

    [[nodiscard]] int cellOf(float x, float y, float z) const {
        const double declination = std::asin(std::clamp(static_cast<double>(z), -1.0, 1.0));
        const double ra = std::atan2(static_cast<double>(y), static_cast<double>(x));
        return at(bandOf(declination), ra);
    }

    /// Cells that a circle may touch.
    [[nodiscard]] std::vector<int> around(const SkyPos& centre, double radius) const {
        std::vector<int> cells;
        const double dec = centre.latitude.radians();
        const double top = std::min(std::abs(dec) + radius, 0.5 * std::numbers::pi);
        // Half width in right ascension where the circle is widest; all around near a pole.
        const double width = std::sin(std::min(radius, 1.5)) / std::max(std::cos(top), 1e-9);
        for (int band = bandOf(dec - radius); band <= bandOf(dec + radius); ++band) {
            const int cells0 = first_[static_cast<std::size_t>(band)];
            const int inBand = first_[static_cast<std::size_t>(band) + 1] - cells0;
            if (width >= 1.0) {
                for (int k = 0; k < inBand; ++k) {
                    cells.push_back(cells0 + k);
                }
                continue;
            }
            const double half = std::asin(width);
            const double unit = inBand / (2.0 * std::numbers::pi);
            const double ra = centre.longitude.radians();
            const int low = static_cast<int>(std::floor((ra - half) * unit));
            const int high = static_cast<int>(std::floor((ra + half) * unit));
            for (int k = low; k <= std::min(high, low + inBand - 1); ++k) {
                cells.push_back(cells0 + ((k % inBand) + inBand) % inBand);
            }
        }
        return cells;
    }

  private:
    [[nodiscard]] static int bandOf(double declination) {
        const double share = declination / std::numbers::pi + 0.5;
        return std::clamp(static_cast<int>(share * kBands), 0, kBands - 1);
    }

    [[nodiscard]] int at(int band, double ra) const {
        const int start = first_[static_cast<std::size_t>(band)];
        const int inBand = first_[static_cast<std::size_t>(band) + 1] - start;
        const double turn = ra / (2.0 * std::numbers::pi);
        const int k = static_cast<int>((turn - std::floor(turn)) * inBand);
        return start + std::min(k, inBand - 1);
    }

    std::vector<int> first_;
    int total_ = 0;
};

} // namespace

struct NightBodies::Index {
    const OrbitCatalog* catalog;
    const orbit::Planets* planets;
    Utc from;
    Utc to;
    CoarseSky sky;
    std::vector<float> reach; ///< radians; negative for bodies that were integrated at once
    SkyCells cells;
    std::vector<std::uint32_t> starts;  ///< of the cells
    std::vector<std::uint32_t> members; ///< by cell
    std::vector<std::uint32_t> wide;
    std::unordered_map<std::size_t, std::unique_ptr<orbit::Ephemeris>> known;
    std::vector<Error> lost;

    Index(const OrbitCatalog& c, const orbit::Planets& p, const Utc& a, const Utc& b)
        : catalog(&c), planets(&p), from(a), to(b), sky(c.size()), reach(c.size()) {}

    Result<bool> look();
    void sort();
    void integrate(const std::vector<std::size_t>& orbits);
    [[nodiscard]] bool touches(std::size_t i, const Vec3& centre, double radius) const;
};

/// Coarse places and reaches of all; then the exact motion of those without a useful reach.
Result<bool> NightBodies::Index::look() {
    const Utc middle = from.plusSeconds(0.5 * to.secondsSince(from));
    const Tdb time = toTdb(middle);
    const auto earth = planets->earth(time);
    const auto sun = planets->sun(time);
    if (!earth || !sun) {
        return fail(earth ? sun.error() : earth.error());
    }
    CoarseView view;
    view.day = time.secondsSince(Tdb::julian(OrbitColumns::kOrigin)) / kSecondsPerDay;
    view.place = earth->position - sun->position;
    view.velocity = earth->velocity - sun->velocity;
    const auto bounds = DeviationBounds::make(*catalog, *planets, view.day);
    if (!bounds) {
        return fail(bounds.error());
    }
    const double halfDays = 0.5 * to.secondsSince(from) / kSecondsPerDay;
    constexpr double earthRadiusAu = 4.3e-5;
    parallelFor((catalog->size() + kBlock - 1) / kBlock, [&](std::size_t block) {
        const std::size_t first = block * kBlock;
        const std::size_t last = std::min(catalog->size(), first + kBlock);
        lookCoarsely(catalog->columns(), first, last, view, sky);
        for (std::size_t i = first; i < last; ++i) {
            const auto shape = catalog->shape(i);
            const Deviation deviation = bounds->of(i, shape);
            const double distance = static_cast<double>(sky.distance[i]);
            const double runoff = shape.runoffArcsecPerDecade.value_or(0.0) * kRadiansPerArcsec *
                                  std::abs(view.day - shape.epochDay) / 3652.5;
            const double strayed = (deviation.au + earthRadiusAu) / std::max(distance, 1e-9);
            // Along the path: what it moves, faster if it has strayed towards us.
            const double moved = static_cast<double>(sky.radiansPerDay[i]) * halfDays *
                                 (1.0 + 2.0 * std::min(1.0, strayed));
            const double total =
                strayed + moved + std::min(runoff, 2.0 * kRadiansPerDegree) + kSlackRadians;
            const bool useless = deviation.deep || !(total < kUselessRadians);
            reach[i] = useless ? -1.0F : static_cast<float>(total);
        }
    });
    std::vector<std::size_t> always;
    for (std::size_t i = 0; i < catalog->size(); ++i) {
        if (reach[i] < 0.0F) {
            always.push_back(i);
        }
    }
    integrate(always);
    for (const std::size_t i : always) {
        const auto found = known.find(i);
        if (found == known.end()) {
            reach[i] = -2.0F; // lost
            continue;
        }
        const auto state = found->second->trajectory().barycentric(time);
        const Vec3 d = state.position - earth->position;
        const double distance = norm(d);
        sky.x[i] = static_cast<float>(d[0] / distance);
        sky.y[i] = static_cast<float>(d[1] / distance);
        sky.z[i] = static_cast<float>(d[2] / distance);
        const double speed = norm(state.velocity - earth->velocity) / distance;
        // Light time: the body is seen where it was, up to its motion in that time.
        reach[i] = static_cast<float>(speed * (halfDays + distance / 173.0) +
                                      earthRadiusAu / distance + kSlackRadians);
    }
    return true;
}

void NightBodies::Index::sort() {
    std::vector<std::int32_t> cell(catalog->size(), -1);
    parallelFor((catalog->size() + kBlock - 1) / kBlock, [&](std::size_t block) {
        for (std::size_t i = block * kBlock; i < std::min(catalog->size(), (block + 1) * kBlock);
             ++i) {
            if (reach[i] >= 0.0F && reach[i] < static_cast<float>(kSmallRadians)) {
                cell[i] = cells.cellOf(sky.x[i], sky.y[i], sky.z[i]);
            }
        }
    });
    starts.assign(static_cast<std::size_t>(cells.count()) + 1, 0);
    for (std::size_t i = 0; i < cell.size(); ++i) {
        if (cell[i] >= 0) {
            ++starts[static_cast<std::size_t>(cell[i]) + 1];
        } else if (reach[i] >= 0.0F) {
            wide.push_back(static_cast<std::uint32_t>(i));
        }
    }
    for (std::size_t k = 1; k < starts.size(); ++k) {
        starts[k] += starts[k - 1];
    }
    members.resize(starts.back());
    std::vector<std::uint32_t> next(starts.begin(), starts.end() - 1);
    for (std::size_t i = 0; i < cell.size(); ++i) {
        if (cell[i] >= 0) {
            members[next[static_cast<std::size_t>(cell[i])]++] = static_cast<std::uint32_t>(i);
        }
    }
}

void NightBodies::Index::integrate(const std::vector<std::size_t>& orbits) {
    std::vector<std::unique_ptr<orbit::Ephemeris>> made(orbits.size());
    std::vector<std::optional<Error>> errors(orbits.size());
    parallelFor(orbits.size(), [&](std::size_t k) {
        auto ephemeris = orbit::Ephemeris::make(catalog->elements(orbits[k]), *planets, from, to);
        if (ephemeris) {
            made[k] = std::make_unique<orbit::Ephemeris>(std::move(*ephemeris));
        } else {
            errors[k] = ephemeris.error();
        }
    });
    for (std::size_t k = 0; k < orbits.size(); ++k) {
        if (errors[k]) {
            lost.push_back(*errors[k]);
            reach[orbits[k]] = -2.0F;
        } else {
            known[orbits[k]] = std::move(made[k]);
        }
    }
}

bool NightBodies::Index::touches(std::size_t i, const Vec3& centre, double radius) const {
    const double dx = static_cast<double>(sky.x[i]) - centre[0];
    const double dy = static_cast<double>(sky.y[i]) - centre[1];
    const double dz = static_cast<double>(sky.z[i]) - centre[2];
    const double chord =
        2.0 * std::sin(std::min(0.5 * (radius + static_cast<double>(reach[i])), 1.5));
    return reach[i] >= 0.0F && dx * dx + dy * dy + dz * dz <= chord * chord;
}

std::vector<std::vector<std::size_t>> nightsOf(std::span<const Utc> times) {
    std::vector<std::size_t> order(times.size());
    std::iota(order.begin(), order.end(), std::size_t{0});
    std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
        return times[a] < times[b];
    });
    constexpr double nightSeconds = 43200.0;
    std::vector<std::vector<std::size_t>> nights;
    for (const std::size_t i : order) {
        if (nights.empty() || times[i].secondsSince(times[nights.back().front()]) > nightSeconds) {
            nights.emplace_back();
        }
        nights.back().push_back(i);
    }
    return nights;
}

NightBodies::NightBodies(std::unique_ptr<Index> index) : index_(std::move(index)) {}

NightBodies::NightBodies(NightBodies&&) noexcept = default;
NightBodies& NightBodies::operator=(NightBodies&&) noexcept = default;
NightBodies::~NightBodies() = default;

Result<NightBodies> NightBodies::make(const OrbitCatalog& catalog,
                                      const orbit::Planets& planets,
                                      const Utc& from,
                                      const Utc& to,
                                      const Job& job) {
    job.progress("Looking where all bodies are", 0, 1);
    auto index = std::make_unique<Index>(catalog, planets, from, to);
    if (auto looked = index->look(); !looked) {
        return fail(looked.error());
    }
    index->sort();
    return NightBodies(std::move(index));
}

std::vector<NightBodies::NearbyBody> NightBodies::near(const SkyPos& centre, Angle radius) {
    Index& index = *index_;
    const Vec3 direction = centre.vector();
    std::vector<std::size_t> found;
    const auto test = [&](std::uint32_t i) {
        if (index.touches(i, direction, radius.radians())) {
            found.push_back(i);
        }
    };
    for (const int cell : index.cells.around(centre, radius.radians() + kSmallRadians)) {
        const auto k = static_cast<std::size_t>(cell);
        std::for_each(index.members.begin() + index.starts[k],
                      index.members.begin() + index.starts[k + 1],
                      test);
    }
    std::for_each(index.wide.begin(), index.wide.end(), test);
    std::sort(found.begin(), found.end());
    std::vector<std::size_t> fresh;
    for (const std::size_t i : found) {
        if (!index.known.contains(i)) {
            fresh.push_back(i);
        }
    }
    index.integrate(fresh);
    std::vector<NearbyBody> candidates;
    for (const std::size_t i : found) {
        if (const auto known = index.known.find(i); known != index.known.end()) {
            candidates.push_back({i, known->second.get()});
        }
    }
    return candidates;
}

const OrbitCatalog& NightBodies::catalog() const {
    return *index_->catalog;
}

const std::vector<Error>& NightBodies::lost() const {
    return index_->lost;
}

std::size_t NightBodies::integrated() const {
    return index_->known.size();
}

} // namespace pathmark::identify
