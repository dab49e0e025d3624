#include "core/solve/cell_quads.h"

#include "core/base/parallel.h"
#include "core/solve/vector_plane.h"

#include <healpix_base.h>

#include <algorithm>
#include <cmath>

namespace pathmark::solve {
namespace {

using Cells = T_Healpix_Base<int64>;

constexpr std::size_t kNearest = 40; // bright stars in and around a cell that ends are chosen from

/// A star near a cell, in the tangent plane about it in units of the cell's side.
struct NearStar {
    std::uint32_t star;
    Place place;
    bool own; ///< of the cell itself
    int uses = 0;
};

std::vector<NearStar> gather(const Cells& cells,
                             const IndexLevel& level,
                             std::uint64_t cell,
                             std::span<const Vec3> stars) {
    const vec3 middle = cells.pix2vec(static_cast<int64>(cell));
    const VectorPlane plane({middle.x, middle.y, middle.z});
    const double unit = 1.0 / PatternIndex::cellSide(level.order).radians();
    fix_arr<int64, 8> around;
    cells.neighbors(static_cast<int64>(cell), around);
    std::vector<NearStar> near;
    const auto add = [&](std::uint64_t which, bool own) {
        for (const std::uint32_t star : level.starsOf(which)) {
            if (dot(stars[star], plane.middle) > 0.2) {
                near.push_back({star, unit * plane.project(stars[star]), own});
            }
        }
    };
    add(cell, true);
    for (std::size_t i = 0; i < 8; ++i) {
        if (around[i] >= 0) {
            add(static_cast<std::uint64_t>(around[i]), false);
        }
    }
    std::sort(near.begin(), near.end(), [](const NearStar& a, const NearStar& b) {
        return a.star < b.star;
    });
    return near;
}

/// Too near an end or each other, two stars are one in poor seeing.
bool isDegenerate(const std::array<float, 4>& v) {
    const auto close = [](float x, float y) { return x * x + y * y < 0.05F * 0.05F; };
    return close(v[0], v[1]) || close(v[2] - 1.0F, v[3]) || close(v[0] - v[2], v[1] - v[3]);
}

/// The quads that begin at the stars of a cell, bright ones first.
std::vector<IndexQuad> quadsOf(const Cells& cells,
                               const IndexLevel& level,
                               std::uint64_t cell,
                               std::span<const Vec3> stars,
                               const IndexOptions& options) {
    auto near = gather(cells, level, cell, stars);

    struct Ends {
        std::size_t a, b;
    };

    std::vector<Ends> ends;
    const std::size_t bright = std::min(near.size(), kNearest);
    for (std::size_t b = 1; b < bright; ++b) {
        for (std::size_t a = 0; a < b; ++a) {
            // The pair belongs to the cell of its brighter star.
            const double square = std::norm(near[a].place - near[b].place);
            if (near[a].own && square > 0.25 && square <= 1.0) {
                ends.push_back({a, b});
            }
        }
    }
    std::sort(ends.begin(), ends.end(), [](const Ends& p, const Ends& q) {
        return std::pair(p.a + p.b, p.b) < std::pair(q.a + q.b, q.b);
    });
    std::vector<IndexQuad> quads;
    for (const Ends& e : ends) {
        if (static_cast<int>(quads.size()) >= options.quadsPerCell) {
            break;
        }
        if (near[e.a].uses >= options.mostUses || near[e.b].uses >= options.mostUses) {
            continue;
        }
        const Place middle = 0.5 * (near[e.a].place + near[e.b].place);
        const double square = 0.25 * std::norm(near[e.a].place - near[e.b].place);
        int made = 0;
        std::vector<std::size_t> inner;
        for (std::size_t i = 0; i < near.size() && made < options.quadsOfBase; ++i) {
            if (i == e.a || i == e.b || near[i].uses >= options.mostUses ||
                std::norm(near[i].place - middle) > square) {
                continue;
            }
            for (const std::size_t other : inner) {
                const auto code =
                    encode(near[e.a].place, near[e.b].place, near[other].place, near[i].place, 0.0);
                if (!code || isDegenerate(code->value) || made >= options.quadsOfBase) {
                    continue;
                }
                const std::array<std::size_t, 4> given{e.a, e.b, other, i};
                IndexQuad quad;
                for (std::size_t k = 0; k < 4; ++k) {
                    quad.code[k] = PatternIndex::quantise(code->value[k]);
                    quad.star[k] = near[given[code->order[k]]].star;
                    ++near[given[k]].uses;
                }
                quads.push_back(quad);
                ++made;
            }
            inner.push_back(i);
        }
    }
    return quads;
}

} // namespace

LevelData fillLevel(int order,
                    int starsPerCell,
                    std::span<const Vec3> stars,
                    const std::vector<std::uint32_t>& candidates) {
    const Cells cells(order, NEST);
    std::vector<std::pair<std::uint64_t, std::uint32_t>> byCell(candidates.size());
    parallelFor((candidates.size() + 4095) / 4096, [&](std::size_t chunk) {
        for (std::size_t i = chunk * 4096; i < std::min(candidates.size(), (chunk + 1) * 4096);
             ++i) {
            const Vec3& v = stars[candidates[i]];
            byCell[i] = {static_cast<std::uint64_t>(cells.vec2pix(vec3(v[0], v[1], v[2]))),
                         candidates[i]};
        }
    });
    std::sort(byCell.begin(), byCell.end());
    LevelData level;
    level.order = order;
    std::uint64_t current = ~0ULL;
    int count = 0;
    for (const auto& [cell, star] : byCell) {
        if (cell != current) {
            current = cell;
            count = 0;
            level.cells.push_back(cell);
            level.starts.push_back(static_cast<std::uint32_t>(level.members.size()));
        }
        if (count++ < starsPerCell) {
            level.members.push_back(star);
        }
    }
    level.starts.push_back(static_cast<std::uint32_t>(level.members.size()));
    return level;
}

std::vector<IndexQuad> quadsOfCells(const IndexLevel& level,
                                    std::size_t begin,
                                    std::size_t end,
                                    std::span<const Vec3> stars,
                                    const IndexOptions& options) {
    const Cells cells(level.order, NEST);
    std::vector<IndexQuad> quads;
    for (std::size_t i = begin; i < end; ++i) {
        const auto some = quadsOf(cells, level, level.cells[i], stars, options);
        quads.insert(quads.end(), some.begin(), some.end());
    }
    return quads;
}

} // namespace pathmark::solve
