#include "core/solve/pattern_search.h"

#include "core/solve/vector_plane.h"

#include <healpix_base.h>

#include <algorithm>
#include <array>
#include <cmath>

namespace pathmark::solve {
namespace {

constexpr std::size_t kWitnesses = 60; // sources that a place is judged by
constexpr double kGiveUp = -0.9;       // log10 of the ratio below which no more are heard
constexpr double kAskAbove = 3.0;      // log10, over the places tried
constexpr double kShortestBase = 0.10; // of the frame's diagonal
constexpr double kEncodeSlack = 0.02;

class Search {
  public:
    Search(const PatternIndex& index,
           const PatternQuestion& question,
           const std::function<bool(const PatternAnswer&, double)>& accept)
        : index_(index), question_(question), accept_(accept),
          diagonal_(std::hypot(question.width, question.height)),
          limit_(question.centre ? std::cos(std::min(3.14, question.radius.radians())) : -2.0) {
        for (const IndexLevel& level : index.levels()) {
            cells_.emplace_back(level.order, NEST);
        }
    }

    PatternReport run(const std::stop_token& stop) {
        const std::size_t count = std::min(question_.sources.size(), question_.mostSources);
        // Quads are taken in the order of their faintest member.
        for (std::size_t last = 3; last < count && !done_; ++last) {
            if (stop.stop_requested() || report_.patterns > question_.mostPatterns ||
                report_.tried > question_.mostPlaces) {
                break;
            }
            for (std::size_t other = 0; other < last && !done_; ++other) {
                asEnds(last, other, last);
            }
            for (std::size_t a = 1; a < last && !done_; ++a) {
                for (std::size_t b = 0; b < a && !done_; ++b) {
                    asInner(a, b, last);
                }
            }
        }
        return report_;
    }

  private:
    [[nodiscard]] Place at(std::size_t i) const { return question_.sources[i]; }

    [[nodiscard]] bool isBase(std::size_t a, std::size_t b) const {
        const double least = kShortestBase * diagonal_;
        return std::norm(at(a) - at(b)) >= least * least;
    }

    [[nodiscard]] bool isBetween(std::size_t a, std::size_t b, std::size_t c) const {
        constexpr double reach = (0.5 + kEncodeSlack) * (0.5 + kEncodeSlack);
        return std::norm(at(c) - 0.5 * (at(a) + at(b))) <= reach * std::norm(at(a) - at(b));
    }

    /// Quads whose ends are a and b, the inner ones brighter than `last`.
    void asEnds(std::size_t a, std::size_t b, std::size_t last) {
        if (!isBase(a, b)) {
            return;
        }
        inner_.clear();
        for (std::size_t c = 0; c < last && !done_; ++c) {
            if (c == b || !isBetween(a, b, c)) {
                continue;
            }
            for (const std::size_t d : inner_) {
                ask({a, b, d, c});
                if (done_) {
                    return;
                }
            }
            inner_.push_back(c);
        }
    }

    /// Quads with `last` inside, ends and the other brighter.
    void asInner(std::size_t a, std::size_t b, std::size_t last) {
        if (!isBase(a, b) || !isBetween(a, b, last)) {
            return;
        }
        for (std::size_t c = 0; c < last && !done_; ++c) {
            if (c != a && c != b && isBetween(a, b, c)) {
                ask({a, b, c, last});
            }
        }
    }

    void ask(const std::array<std::size_t, 4>& members) {
        const auto code =
            encode(at(members[0]), at(members[1]), at(members[2]), at(members[3]), kEncodeSlack);
        if (!code) {
            return;
        }
        report_.patterns += 1.0;
        const double length = std::abs(at(members[0]) - at(members[1]));
        const auto variants = variantsOf(*code, question_.tolerance);
        for (int v = 0; v < variants.count && !done_; ++v) {
            const QuadCode& one = variants.code[static_cast<std::size_t>(v)];
            index_.lookUp(
                one.value, static_cast<float>(question_.tolerance), [&](const IndexQuad& quad) {
                    if (!done_) {
                        consider(members, one, quad, length);
                    }
                });
        }
    }

    void consider(const std::array<std::size_t, 4>& members,
                  const QuadCode& code,
                  const IndexQuad& quad,
                  double lengthPixels) {
        const auto stars = index_.stars();
        for (const std::uint32_t star : quad.star) {
            if (star >= stars.size()) {
                return; // a damaged file
            }
        }
        const Vec3 a = stars[quad.star[0]].vector();
        const Vec3 b = stars[quad.star[1]].vector();
        const double base = norm(a - b);
        const double scale = base / lengthPixels;
        if (scale < question_.scaleLow || scale > question_.scaleHigh) {
            return;
        }
        const Vec3 sum = a + b;
        const VectorPlane plane((1.0 / norm(sum)) * sum);
        const IndexLevel& level = index_.levelFor(Angle::radians(base));
        const double cell = PatternIndex::cellSide(level.order).radians();
        const double perCell = static_cast<double>(level.members.size()) /
                               std::max(1.0, static_cast<double>(level.cells.size()));
        const double area = question_.width * question_.height;
        PlaceLikelihood likelihood(area, diagonal_, perCell * area * scale * scale / (cell * cell));
        used_.assign(quad.star.begin(), quad.star.end());
        PatternAnswer answer;
        for (std::size_t k = 0; k < 4; ++k) {
            answer.quadPixels[k] = at(members[code.order[k]]);
            answer.quadPlane[k] = plane.project(stars[quad.star[k]].vector());
        }
        const bool flipped = code.flipped != liesBelow(answer.quadPlane);
        for (std::size_t k = 0; k < 4; ++k) {
            likelihood.assume(answer.quadPixels[k], answer.quadPlane[k], flipped);
        }
        const Vec3 middle = plane.direction(likelihood.similarity().offset);
        if (question_.centre && dot(middle, centreVector()) < limit_ * norm(middle)) {
            return;
        }
        report_.tried += 1.0;
        judge(members, plane, level, likelihood, answer);
    }

    [[nodiscard]] Vec3 centreVector() const { return question_.centre->vector(); }

    /// True where the code of a quad is that of its mirror image.
    static bool liesBelow(const std::array<Place, 4>& quad) {
        const Place base = std::conj(quad[1] - quad[0]);
        return ((quad[2] - quad[0]) * base).imag() + ((quad[3] - quad[0]) * base).imag() < 0.0;
    }

    void judge(const std::array<std::size_t, 4>& members,
               const VectorPlane& plane,
               const IndexLevel& level,
               PlaceLikelihood& likelihood,
               PatternAnswer& answer) {
        const auto& cells = cells_[static_cast<std::size_t>(&level - index_.levels().data())];
        const double tried = std::log10(report_.tried);
        const std::size_t count = std::min(question_.sources.size(), kWitnesses);
        for (std::size_t i = 0; i < count; ++i) {
            if (std::find(members.begin(), members.end(), i) != members.end()) {
                continue;
            }
            likelihood.tell(at(i), nearestStar(level, cells, plane, at(i), likelihood));
            if (likelihood.told() % 4 == 0) {
                const double ratio = likelihood.log10();
                if (ratio < kGiveUp || ratio > kAskAbove + 6.0 + tried) {
                    break;
                }
            }
        }
        const double ratio = likelihood.log10();
        answer.tangentPoint = SkyPos::fromVector(plane.middle);
        answer.transform = likelihood.similarity();
        answer.ratioLog10 = ratio;
        answer.matched = likelihood.matched() + 4;
        if (!report_.best || ratio > report_.best->ratioLog10) {
            report_.best = answer;
        }
        if (ratio > kAskAbove + tried && accept_(answer, report_.tried)) {
            done_ = true;
        }
    }

    /// The nearest star of the level within reach that no earlier source has taken; it is then taken.
    std::optional<Place> nearestStar(const IndexLevel& level,
                                     const T_Healpix_Base<int64>& cells,
                                     const VectorPlane& plane,
                                     Place pixel,
                                     const PlaceLikelihood& likelihood) {
        const Place predicted = likelihood.similarity().apply(pixel);
        const Vec3 direction = plane.direction(predicted);
        const auto cell = static_cast<std::uint64_t>(
            cells.vec2pix(vec3(direction[0], direction[1], direction[2])));
        const double reach = likelihood.reach(pixel) * std::abs(likelihood.similarity().factor);
        double least = reach * reach;
        std::optional<Place> found;
        std::uint32_t which = 0;
        for (const std::uint32_t star : level.starsOf(cell)) {
            if (star >= index_.stars().size()) {
                continue;
            }
            const Vec3 v = index_.stars()[star].vector();
            if (dot(v, plane.middle) < 0.1) {
                continue;
            }
            const Place place = plane.project(v);
            const double square = std::norm(place - predicted);
            if (square < least && std::find(used_.begin(), used_.end(), star) == used_.end()) {
                least = square;
                found = place;
                which = star;
            }
        }
        if (found) {
            used_.push_back(which);
        }
        return found;
    }

    const PatternIndex& index_;
    const PatternQuestion& question_;
    const std::function<bool(const PatternAnswer&, double)>& accept_;
    double diagonal_;
    double limit_;
    std::vector<T_Healpix_Base<int64>> cells_;
    std::vector<std::size_t> inner_;
    std::vector<std::uint32_t> used_;
    PatternReport report_;
    bool done_ = false;
};

} // namespace

PatternReport searchPatterns(const PatternIndex& index,
                             const PatternQuestion& question,
                             const std::function<bool(const PatternAnswer&, double tried)>& accept,
                             const std::stop_token& stop) {
    if (index.quads().empty() || question.sources.size() < 4) {
        return {};
    }
    return Search(index, question, accept).run(stop);
}

} // namespace pathmark::solve
