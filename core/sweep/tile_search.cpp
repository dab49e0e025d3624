#include "core/sweep/tile_search.h"

#include "core/base/parallel.h"
#include "core/sweep/sum_kernels.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <unordered_map>

namespace pathmark::sweep {
namespace {

constexpr int kChunks = 8; ///< of a tile's width
constexpr int kTileWidth = kChunks * kChunk;
constexpr int kTileHeight = 32;
constexpr int kMostSlack = 12; ///< pixels by which a node's buffer may serve for other places
constexpr std::int16_t kNever = INT16_MAX;

/// Every other bit of a number.
std::uint32_t everyOther(std::uint64_t bits) {
    std::uint32_t result = 0;
    for (unsigned k = 0; k < 32; ++k) {
        result |= static_cast<std::uint32_t>((bits >> (2 * k)) & 1U) << k;
    }
    return result;
}

} // namespace

bool Sample::takes(std::size_t zone, int blockI, int blockJ) const {
    if (share >= 1.0) {
        return true;
    }
    // SplitMix64 of what names the block.
    std::uint64_t z = seed + 0x9e3779b97f4a7c15ULL *
                                 (zone * 1000003ULL + static_cast<std::uint64_t>(blockI) * 4099ULL +
                                  static_cast<std::uint64_t>(blockJ) + 1ULL);
    z = (z ^ (z >> 30U)) * 0xbf58476d1ce4e5b9ULL;
    z = (z ^ (z >> 27U)) * 0x94d049bb133111ebULL;
    z ^= z >> 31U;
    return static_cast<double>(z >> 11U) < share * 9007199254740992.0;
}

Block blockOf(const MotionZone& zone, const Velocity& v) {
    const double a = zone.alongStep.x * zone.alongStep.x + zone.alongStep.y * zone.alongStep.y;
    const double b = zone.acrossStep.x * zone.acrossStep.x + zone.acrossStep.y * zone.acrossStep.y;
    const double i = (v.x * zone.alongStep.x + v.y * zone.alongStep.y) / a - zone.firstI;
    const double j = (v.x * zone.acrossStep.x + v.y * zone.acrossStep.y) / b - zone.firstJ;
    return {static_cast<int>(std::floor((i + 0.5) / kBlockSide)),
            static_cast<int>(std::floor((j + 0.5) / kBlockSide))};
}

/// One tile of the field through all motions of a zone.
class TileSearch {
  public:
    TileSearch(const ZoneSearch& search, int x, int y, double snr)
        : search_(search), zone_(*search.zone_), nodes_(search.tree_.nodes()), x_(x), y_(y),
          snr_(snr), states_(nodes_.size()), thresholds_(kChunks, kNever) {
        layOut();
    }

    SearchResult run(const Sample& sample);

  private:
    struct Offset {
        int x = 0;
        int y = 0;
    };

    /// A node's sums for one cell of motions, about one place.
    struct State {
        int padX = 0; ///< pixels beyond the tile on each side
        int padY = 0;
        std::ptrdiff_t stride = 0;
        std::vector<std::int16_t> sums;
        bool hasShape = false;
        bool hasSums = false;
        int cellI = 0;
        int cellJ = 0;
        Offset shift;       ///< of the right child against the left
        double meanX = 0.0; ///< of its frames' offsets from its first frame
        double meanY = 0.0;
        Offset base; ///< of the sums from the tile: of the first frame
    };

    void layOut();
    void shape(int node, int i, int j);
    TileRows request(int node, const Offset& at, int padX, int padY, const Velocity& v);
    void fill(int node, const Velocity& v);
    void fillFromFrame(int node);
    [[nodiscard]] Velocity middleOf(int node) const;
    bool setThresholds(const Velocity& v);
    void tryMotion(int i, int j);
    void keep(const TileRows& left, const TileRows& right, std::uint64_t columns, int i, int j);

    const ZoneSearch& search_;
    const MotionZone& zone_;
    const std::vector<MotionTree::Node>& nodes_;
    int x_;
    int y_;
    double snr_;
    std::vector<State> states_;
    std::vector<std::int16_t> thresholds_;
    std::vector<double> coverages_ = std::vector<double>(kChunks, 0.0);
    std::unordered_map<std::uint64_t, Hit> kept_;
    double additions_ = 0.0;
};

/// A child's sums serve all motions of its cell: over these its frames lie at places that differ by what it moves until then.
void TileSearch::layOut() {
    for (int k = static_cast<int>(nodes_.size()) - 1; k >= 0; --k) {
        const auto& node = nodes_[static_cast<std::size_t>(k)];
        for (const int child : {node.left, node.right}) {
            if (child < 0) {
                continue;
            }
            const auto& below = nodes_[static_cast<std::size_t>(child)];
            State& state = states_[static_cast<std::size_t>(child)];
            const auto slack = [&](double along, double across) {
                const double range = std::ldexp(std::abs(along), std::min(below.bitsAlong, 10)) +
                                     std::ldexp(std::abs(across), std::min(below.bitsAcross, 10));
                return std::min(
                    kMostSlack,
                    2 + static_cast<int>(std::ceil(0.5 * range * std::abs(below.first))));
            };
            const State& parent = states_[static_cast<std::size_t>(k)];
            state.padX = parent.padX + slack(zone_.alongStep.x, zone_.acrossStep.x);
            state.padY = parent.padY + slack(zone_.alongStep.y, zone_.acrossStep.y);
            state.stride = kTileWidth + 2 * state.padX;
            state.sums.resize(static_cast<std::size_t>(state.stride) *
                              static_cast<std::size_t>(kTileHeight + 2 * state.padY));
        }
    }
}

/// The motion in the middle of a node's cell.
Velocity TileSearch::middleOf(int node) const {
    const auto& n = nodes_[static_cast<std::size_t>(node)];
    const State& state = states_[static_cast<std::size_t>(node)];
    return zone_.at(std::ldexp(state.cellI + 0.5, n.bitsAlong) - 0.5,
                    std::ldexp(state.cellJ + 0.5, n.bitsAcross) - 0.5);
}

void TileSearch::shape(int node, int i, int j) {
    const auto& n = nodes_[static_cast<std::size_t>(node)];
    State& state = states_[static_cast<std::size_t>(node)];
    const int cellI = i >> n.bitsAlong;
    const int cellJ = j >> n.bitsAcross;
    if (state.hasShape && cellI == state.cellI && cellJ == state.cellJ) {
        return;
    }
    state.hasShape = true;
    state.hasSums = state.hasSums && n.frame >= 0; // a frame alone is the same for all motions
    state.cellI = cellI;
    state.cellJ = cellJ;
    if (n.frame >= 0) {
        return;
    }
    shape(n.left, i, j);
    shape(n.right, i, j);
    const State& left = states_[static_cast<std::size_t>(n.left)];
    const State& right = states_[static_cast<std::size_t>(n.right)];
    const auto& l = nodes_[static_cast<std::size_t>(n.left)];
    const auto& r = nodes_[static_cast<std::size_t>(n.right)];
    const Velocity v = middleOf(node);
    const double between = r.time - l.time;
    state.shift.x = static_cast<int>(std::lround(v.x * between - right.meanX + left.meanX));
    state.shift.y = static_cast<int>(std::lround(v.y * between - right.meanY + left.meanY));
    const double share = n.share > 0.0 ? r.share / n.share : 0.5;
    state.meanX = (1.0 - share) * left.meanX + share * (state.shift.x + right.meanX);
    state.meanY = (1.0 - share) * left.meanY + share * (state.shift.y + right.meanY);
}

/// The node's sums over the tile moved by `at` and widened; `v`: the motion that they are wanted for.
TileRows TileSearch::request(int node, const Offset& at, int padX, int padY, const Velocity& v) {
    State& state = states_[static_cast<std::size_t>(node)];
    const auto covers = [&] {
        return std::abs(at.x - state.base.x) + padX <= state.padX &&
               std::abs(at.y - state.base.y) + padY <= state.padY;
    };
    if (!state.hasSums || !covers()) {
        const auto& n = nodes_[static_cast<std::size_t>(node)];
        state.base = at;
        Velocity own = v;
        if (n.frame < 0) {
            // About where its frames lie in the middle of the cell, as far as this place is still covered.
            own = middleOf(node);
            const int slackX = state.padX - padX;
            const int slackY = state.padY - padY;
            state.base.x +=
                std::clamp(static_cast<int>(std::lround((own.x - v.x) * n.first)), -slackX, slackX);
            state.base.y +=
                std::clamp(static_cast<int>(std::lround((own.y - v.y) * n.first)), -slackY, slackY);
        }
        fill(node, own);
        state.hasSums = true;
    }
    return {state.sums.data() +
                static_cast<std::ptrdiff_t>(at.y - state.base.y + state.padY - padY) *
                    state.stride +
                (at.x - state.base.x + state.padX - padX),
            state.stride};
}

void TileSearch::fill(int node, const Velocity& v) {
    const auto& n = nodes_[static_cast<std::size_t>(node)];
    State& state = states_[static_cast<std::size_t>(node)];
    if (n.frame >= 0) {
        fillFromFrame(node);
        return;
    }
    const TileRows left = request(n.left, state.base, state.padX, state.padY, v);
    const Offset there{state.base.x + state.shift.x, state.base.y + state.shift.y};
    const TileRows right = request(n.right, there, state.padX, state.padY, v);
    const int rows = kTileHeight + 2 * state.padY;
    for (int y = 0; y < rows; ++y) {
        addRow(left.begin + y * left.stride,
               right.begin + y * right.stride,
               state.sums.data() + y * state.stride,
               static_cast<std::size_t>(state.stride));
    }
    additions_ += static_cast<double>(rows) * static_cast<double>(state.stride);
}

void TileSearch::fillFromFrame(int node) {
    const auto& n = nodes_[static_cast<std::size_t>(node)];
    State& state = states_[static_cast<std::size_t>(node)];
    const auto light = search_.lights_[static_cast<std::size_t>(n.frame)];
    const int width = search_.maps_.grid().width;
    const int height = search_.maps_.grid().height;
    const Slot& slot = search_.slots_[static_cast<std::size_t>(n.frame)];
    const int x0 = x_ + state.base.x - state.padX + slot.shiftX;
    const int from = std::clamp(x0, 0, width);
    const int to = std::clamp(x0 + static_cast<int>(state.stride), 0, width);
    for (int row = 0; row < kTileHeight + 2 * state.padY; ++row) {
        std::int16_t* out = state.sums.data() + row * state.stride;
        std::fill(out, out + state.stride, std::int16_t{0});
        const int y = y_ + state.base.y - state.padY + row + slot.shiftY;
        if (y >= 0 && y < height && from < to) {
            const auto begin = light.begin() + static_cast<std::ptrdiff_t>(y) * width;
            holdRow(&*begin + from,
                    search_.mosts_[static_cast<std::size_t>(n.frame)],
                    out + (from - x0),
                    static_cast<std::size_t>(to - from));
        }
    }
}

/// False where nothing of the tile can be searched for motions about `v`.
bool TileSearch::setThresholds(const Velocity& v) {
    const int columns = search_.coverageColumns_;
    const int width = search_.maps_.grid().width;
    const int height = search_.maps_.grid().height;
    const auto& times = search_.maps_.times();
    const double middle = nodes_.back().time;
    bool any = false;
    for (int c = 0; c < kChunks; ++c) {
        const int left = x_ + c * kChunk;
        double coverage = 0.0;
        for (std::size_t slot = 0; slot < times.size() && left < width; ++slot) {
            const Slot& own = search_.slots_[slot];
            const double x = left + 0.5 * kChunk + v.x * (times[slot] - middle) + own.shiftX;
            const double y = y_ + 0.5 * kTileHeight + v.y * (times[slot] - middle) + own.shiftY;
            if (x >= 0.0 && y >= 0.0 && x < width && y < height) {
                const auto& map = search_.coverage_[search_.slots_[slot].map];
                coverage +=
                    search_.shares_[slot] *
                    static_cast<double>(map[static_cast<std::size_t>(
                        static_cast<int>(y) / kChunk * columns + static_cast<int>(x) / kChunk)]);
            }
        }
        const double threshold = snr_ * search_.maps_.units() * std::sqrt(coverage);
        const bool counts = coverage > kLeastCoverage && threshold < kNever;
        coverages_[static_cast<std::size_t>(c)] = coverage;
        thresholds_[static_cast<std::size_t>(c)] =
            counts ? static_cast<std::int16_t>(threshold) : kNever;
        any = any || counts;
    }
    return any;
}

void TileSearch::tryMotion(int i, int j) {
    const int root = static_cast<int>(nodes_.size()) - 1;
    shape(root, i, j);
    const State& state = states_[static_cast<std::size_t>(root)];
    const Velocity v = zone_.at(i, j);
    const Offset at{-static_cast<int>(std::lround(state.meanX)),
                    -static_cast<int>(std::lround(state.meanY))};
    const auto& n = nodes_.back();
    const TileRows left = request(n.left, at, 0, 0, v);
    const TileRows right = request(n.right, {at.x + state.shift.x, at.y + state.shift.y}, 0, 0, v);
    additions_ += static_cast<double>(kTileWidth) * kTileHeight;
    if (const auto columns = columnsAbove(left, right, kTileHeight, thresholds_)) {
        keep(left, right, columns, i, j);
    }
}

void TileSearch::keep(
    const TileRows& left, const TileRows& right, std::uint64_t columns, int i, int j) {
    const State& root = states_.back();
    const Velocity v = zone_.at(i, j);
    const double middle = nodes_.back().time;
    const double offX = root.meanX - static_cast<double>(std::lround(root.meanX));
    const double offY = root.meanY - static_cast<double>(std::lround(root.meanY));
    const int width = search_.maps_.grid().width;
    const int rows = std::min(kTileHeight, search_.maps_.grid().height - y_);
    for (; columns != 0; columns &= columns - 1) {
        const int c = std::countr_zero(columns);
        const double unit =
            search_.maps_.units() * std::sqrt(coverages_[static_cast<std::size_t>(c)]);
        for (int y = 0; y < rows; ++y) {
            for (int x = c * kChunk; x < std::min((c + 1) * kChunk, width - x_); ++x) {
                const int sum = left.begin[y * left.stride + x] + right.begin[y * right.stride + x];
                if (sum <= thresholds_[static_cast<std::size_t>(c)]) {
                    continue;
                }
                const auto near = [](int k) {
                    return static_cast<std::uint64_t>(k >> 2) & 0xffffU;
                };
                Hit& hit = kept_[near(x) | near(y) << 16U | near(i) << 32U | near(j) << 48U];
                const double snr = sum / unit;
                if (snr > hit.snr) {
                    hit.snr = snr;
                    hit.track = {{x_ + x + offX - v.x * middle, y_ + y + offY - v.y * middle}, v};
                }
            }
        }
    }
}

SearchResult TileSearch::run(const Sample& sample) {
    const int blocksI = (zone_.columns + kBlockSide - 1) / kBlockSide;
    const int blocksJ = (zone_.rows + kBlockSide - 1) / kBlockSide;
    const auto side = std::bit_ceil(static_cast<std::uint64_t>(std::max(blocksI, blocksJ)));
    for (std::uint64_t b = 0; b < side * side; ++b) {
        const auto blockI = static_cast<int>(everyOther(b));
        const auto blockJ = static_cast<int>(everyOther(b >> 1U));
        if (blockI >= blocksI || blockJ >= blocksJ ||
            !sample.takes(search_.index_, blockI, blockJ)) {
            continue;
        }
        bool isSet = false;
        for (std::uint64_t k = 0; k < kBlockSide * kBlockSide; ++k) {
            const int i = blockI * kBlockSide + static_cast<int>(everyOther(k));
            const int j = blockJ * kBlockSide + static_cast<int>(everyOther(k >> 1U));
            if (!zone_.isWanted(i, j)) {
                continue;
            }
            if (!isSet && !setThresholds(zone_.at(blockI * kBlockSide + 0.5 * (kBlockSide - 1),
                                                  blockJ * kBlockSide + 0.5 * (kBlockSide - 1)))) {
                break;
            }
            isSet = true;
            tryMotion(i, j);
        }
    }
    SearchResult result;
    result.additions = additions_;
    for (const auto& [key, hit] : kept_) {
        result.hits.push_back(hit);
    }
    return result;
}

ZoneSearch::ZoneSearch(const LightMaps& maps, std::vector<Slot> slots, const MotionTree& tree)
    : maps_(maps), slots_(std::move(slots)), tree_(tree), form_(meanWidth(maps)),
      drawn_(slots_.size()), lights_(slots_.size()), mosts_(slots_.size()), shares_(slots_.size()) {
    measureCoverage();
}

void ZoneSearch::measureCoverage() {
    const int width = maps_.grid().width;
    const int height = maps_.grid().height;
    coverageColumns_ = (width + kChunk - 1) / kChunk;
    const int rows = (height + kChunk - 1) / kChunk;
    coverage_.resize(maps_.frames().size());
    parallelFor(coverage_.size(), [&](std::size_t i) {
        auto& blocks = coverage_[i];
        blocks.assign(static_cast<std::size_t>(coverageColumns_ * rows), 0.0F);
        const auto& weight = maps_.map(i).weight;
        for (int y = 0; y < height; ++y) {
            for (int x = 0; x < width; ++x) {
                blocks[static_cast<std::size_t>(y / kChunk * coverageColumns_ + x / kChunk)] +=
                    static_cast<float>(
                        weight[static_cast<std::size_t>(y) * static_cast<std::size_t>(width) +
                               static_cast<std::size_t>(x)]);
            }
        }
        for (int b = 0; b < coverageColumns_ * rows; ++b) {
            const int w = std::min(kChunk, width - b % coverageColumns_ * kChunk);
            const int h = std::min(kChunk, height - b / coverageColumns_ * kChunk);
            blocks[static_cast<std::size_t>(b)] /= static_cast<float>(kFullWeight * w * h);
        }
    });
}

void ZoneSearch::enter(const MotionZone& zone, std::size_t index) {
    zone_ = &zone;
    index_ = index;
    const bool isTrailed = zone.trail.x != 0.0 || zone.trail.y != 0.0;
    const double speed = std::hypot(zone.trail.x, zone.trail.y);
    double sum = 0.0;
    for (std::size_t slot = 0; slot < slots_.size(); ++slot) {
        const double seconds = maps_.frames()[slots_[slot].map].exposureSeconds;
        shares_[slot] = maps_.map(slots_[slot].map).share *
                        form_.information(speed * seconds / maps_.unitSeconds());
        sum += shares_[slot];
    }
    double rootsBefore = 0.0;
    double roots = 0.0;
    for (std::size_t slot = 0; slot < slots_.size(); ++slot) {
        shares_[slot] /= sum;
        rootsBefore += std::sqrt(maps_.map(slots_[slot].map).share);
        roots += std::sqrt(shares_[slot]);
    }
    held_ = std::min(1.0, rootsBefore / roots);
    parallelFor(slots_.size(), [&](std::size_t slot) {
        if (isTrailed) {
            drawTrail(slot);
        } else {
            lights_[slot] = maps_.map(slots_[slot].map).light.span();
            mosts_[slot] = maps_.map(slots_[slot].map).most;
        }
    });
}

/// The mean of the map along the trail of a body that stands there in the middle of the exposure.
void ZoneSearch::drawTrail(std::size_t slot) {
    const LightMap& map = maps_.map(slots_[slot].map);
    const int width = maps_.grid().width;
    const int height = maps_.grid().height;
    const double share = maps_.frames()[slots_[slot].map].exposureSeconds / maps_.unitSeconds();
    const double trailX = share * zone_->trail.x;
    const double trailY = share * zone_->trail.y;
    const int points = 1 + static_cast<int>(std::hypot(trailX, trailY) / (0.35 * form_.fwhm()));
    // Its own information over the share that it had: sums stay in units().
    const double factor =
        std::sqrt(shares_[slot] / (map.share * form_.information(std::hypot(trailX, trailY)))) /
        points;
    const double most = held_ * kMostSigma * maps_.units() * std::sqrt(shares_[slot]);
    auto& out = drawn_[slot];
    if (out.size() != map.light.size()) {
        out.assign(map.light.size(), maps_.folder());
    }
    std::vector<std::int32_t> sum(static_cast<std::size_t>(width));
    for (int y = 0; y < height; ++y) {
        std::fill(sum.begin(), sum.end(), 0);
        for (int k = 0; k < points; ++k) {
            const double place = (k + 0.5) / points - 0.5;
            const int dx = static_cast<int>(std::lround(place * trailX));
            const int from = y + static_cast<int>(std::lround(place * trailY));
            if (from < 0 || from >= height) {
                continue;
            }
            const int first = std::max(0, -dx);
            const int end = std::min(width, width - dx);
            addWide(map.light.data() + static_cast<std::ptrdiff_t>(from) * width + first + dx,
                    sum.data() + first,
                    static_cast<std::size_t>(std::max(0, end - first)));
        }
        scaleRow(sum.data(),
                 static_cast<float>(factor),
                 static_cast<float>(most),
                 out.data() + static_cast<std::ptrdiff_t>(y) * width,
                 sum.size());
    }
    lights_[slot] = out.span();
    mosts_[slot] = INT16_MAX; // held already
}

std::size_t ZoneSearch::tiles() const {
    const auto across =
        static_cast<std::size_t>((maps_.grid().width + kTileWidth - 1) / kTileWidth);
    return across * static_cast<std::size_t>((maps_.grid().height + kTileHeight - 1) / kTileHeight);
}

double ZoneSearch::additionsOfTile() const {
    return kAdditionsOfSum * kTileWidth * kTileHeight * static_cast<double>(zone_->count);
}

SearchResult ZoneSearch::run(double snr,
                             const Sample& sample,
                             std::size_t firstTile,
                             std::size_t endTile,
                             const Job& job) const {
    const int across = (maps_.grid().width + kTileWidth - 1) / kTileWidth;
    std::vector<SearchResult> found(endTile - firstTile);
    parallelFor(found.size(), [&](std::size_t t) {
        if (!job.stop.stop_requested()) {
            const int tile = static_cast<int>(firstTile + t);
            found[t] =
                TileSearch(*this, tile % across * kTileWidth, tile / across * kTileHeight, snr)
                    .run(sample);
        }
    });
    SearchResult all;
    for (SearchResult& tile : found) {
        all.additions += tile.additions;
        all.hits.insert(all.hits.end(), tile.hits.begin(), tile.hits.end());
    }
    return all;
}

} // namespace pathmark::sweep
