#include "core/survey/survey_picture.h"

#include "core/base/parallel.h"
#include "core/base/try_each.h"
#include "core/survey/sky_cells.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <optional>
#include <set>
#include <vector>

namespace pathmark::survey {
namespace {

constexpr int kStep = 8; ///< pixels between places that are worked out
constexpr std::size_t kAtOnce = 4;
constexpr auto kNone = std::numeric_limits<float>::quiet_NaN();

/// Where every eighth pixel lies on the survey.
class PlaceNet {
  public:
    PlaceNet(const Survey& survey, const frame::Wcs& wcs, int width, int height)
        : columns_((width + kStep - 1) / kStep + 1), rows_((height + kStep - 1) / kStep + 1),
          nodes_(static_cast<std::size_t>(columns_) * static_cast<std::size_t>(rows_)) {
        parallelFor(static_cast<std::size_t>(rows_), [&](std::size_t row) {
            for (int column = 0; column < columns_; ++column) {
                const SkyPos sky = wcs.toSky(
                    {static_cast<double>(column * kStep), static_cast<double>(row) * kStep});
                node(column, static_cast<int>(row)) =
                    toFace(survey.properties().isGalactic ? galacticOf(sky) : sky);
            }
        });
    }

    [[nodiscard]] const std::vector<FacePos>& nodes() const { return nodes_; }

    /// Places along a row, from that of its first pixel on.
    struct Run {
        FacePos first;
        double stepX = 0.0;
        double stepY = 0.0;
    };

    /// The kStep pixels of a row from column * kStep on; false where the faces around them differ.
    [[nodiscard]] bool run(int column, int y, Run& along) const {
        const int row = y / kStep;
        const FacePos& a = node(column, row);
        const FacePos& b = node(column + 1, row);
        const FacePos& c = node(column, row + 1);
        const FacePos& d = node(column + 1, row + 1);
        if (a.face != b.face || a.face != c.face || a.face != d.face) {
            return false;
        }
        const double v = static_cast<double>(y % kStep) / kStep;
        const double left = (1.0 - v) * a.x + v * c.x;
        const double low = (1.0 - v) * a.y + v * c.y;
        along.first = {a.face, left, low};
        along.stepX = ((1.0 - v) * b.x + v * d.x - left) / kStep;
        along.stepY = ((1.0 - v) * b.y + v * d.y - low) / kStep;
        return true;
    }

  private:
    [[nodiscard]] FacePos& node(int column, int row) {
        return nodes_[static_cast<std::size_t>(row) * static_cast<std::size_t>(columns_) +
                      static_cast<std::size_t>(column)];
    }

    [[nodiscard]] const FacePos& node(int column, int row) const {
        return nodes_[static_cast<std::size_t>(row) * static_cast<std::size_t>(columns_) +
                      static_cast<std::size_t>(column)];
    }

    int columns_;
    int rows_;
    std::vector<FacePos> nodes_;
};

using Tiles = std::map<std::int64_t, std::shared_ptr<const frame::Image>>;

/// Four neighbours, of the lower row first, mixed in proportion.
float mixed(const std::array<float, 4>& cells, float u, float v) {
    const float below = (1.0F - u) * cells[0] + u * cells[1];
    const float above = (1.0F - u) * cells[2] + u * cells[3];
    return (1.0F - v) * below + v * above;
}

/// Values of the survey at one order.
class Cells {
  public:
    Cells(const Tiles& tiles, int order, int width)
        : tiles_(tiles), order_(order), width_(width),
          side_(static_cast<double>(std::int64_t{1} << order) * width) {}

    /// Bilinear; the nearest cells of the same face at a face's edge.
    float value(const FacePos& pos) {
        const double x = pos.x * side_ - 0.5;
        const double y = pos.y * side_ - 0.5;
        const auto left = static_cast<std::int64_t>(std::floor(x));
        const auto low = static_cast<std::int64_t>(std::floor(y));
        const auto u = static_cast<float>(x - static_cast<double>(left));
        const auto v = static_cast<float>(y - static_cast<double>(low));
        return mixed({cell(pos.face, left, low),
                      cell(pos.face, left + 1, low),
                      cell(pos.face, left, low + 1),
                      cell(pos.face, left + 1, low + 1)},
                     u,
                     v);
    }

    /// The same along a run: quick where all of it lies in one tile.
    void values(const PlaceNet::Run& run, std::span<float> out) {
        const double x = run.first.x * side_ - 0.5;
        const double y = run.first.y * side_ - 0.5;
        const double stepX = run.stepX * side_;
        const double stepY = run.stepY * side_;
        const auto along = static_cast<double>(out.size() - 1);
        const auto tileX = tileAlong(x, x + stepX * along);
        const auto tileY = tileAlong(y, y + stepY * along);
        if (!tileX || !tileY) {
            for (std::size_t i = 0; i < out.size(); ++i) {
                const auto n = static_cast<double>(i);
                out[i] = value(
                    {run.first.face, run.first.x + n * run.stepX, run.first.y + n * run.stepY});
            }
            return;
        }
        const frame::Image* tile = tileAt(run.first.face, *tileX, *tileY);
        if (tile == nullptr) {
            std::ranges::fill(out, kNone);
            return;
        }
        const double startX = x - static_cast<double>(*tileX * width_);
        const double startY = y - static_cast<double>(*tileY * width_);
        for (std::size_t i = 0; i < out.size(); ++i) {
            const double atX = startX + static_cast<double>(i) * stepX;
            const double atY = startY + static_cast<double>(i) * stepY;
            const int left = static_cast<int>(atX); // none is negative
            const int low = static_cast<int>(atY);
            const auto u = static_cast<float>(atX - left);
            const auto v = static_cast<float>(atY - low);
            out[i] = mixed({tile->at(left, low),
                            tile->at(left + 1, low),
                            tile->at(left, low + 1),
                            tile->at(left + 1, low + 1)},
                           u,
                           v);
        }
    }

  private:
    /// The tile that all cells between two places along an axis lie in, with those that they are mixed with; nothing where there are two.
    [[nodiscard]] std::optional<std::int64_t> tileAlong(double from, double to) const {
        const double least = std::min(from, to);
        const double most = std::max(from, to);
        if (least < 0.0 || most >= side_ - 1.0) {
            return std::nullopt;
        }
        const auto first = static_cast<std::int64_t>(least) / width_;
        const auto last = (static_cast<std::int64_t>(most) + 1) / width_;
        return first == last ? std::optional(first) : std::nullopt;
    }

    const frame::Image* tileAt(int face, std::int64_t tileX, std::int64_t tileY) {
        if (face != face_ || tileX != tileX_ || tileY != tileY_) {
            face_ = face;
            tileX_ = tileX;
            tileY_ = tileY;
            const auto found = tiles_.find(nestedCell(order_, face, tileX, tileY));
            tile_ = found == tiles_.end() ? nullptr : found->second.get();
        }
        return tile_;
    }

    float cell(int face, std::int64_t x, std::int64_t y) {
        const auto last = static_cast<std::int64_t>(side_) - 1;
        x = std::clamp<std::int64_t>(x, 0, last);
        y = std::clamp<std::int64_t>(y, 0, last);
        const std::int64_t tileX = x / width_;
        const std::int64_t tileY = y / width_;
        const frame::Image* tile = tileAt(face, tileX, tileY);
        return tile == nullptr ? kNone
                               : tile->at(static_cast<int>(x - tileX * width_),
                                          static_cast<int>(y - tileY * width_));
    }

    const Tiles& tiles_;
    int order_;
    std::int64_t width_;
    double side_;
    int face_ = -1; ///< of the tile that was used last
    std::int64_t tileX_ = -1;
    std::int64_t tileY_ = -1;
    const frame::Image* tile_ = nullptr;
};

/// The order whose pixels are just smaller than the picture's.
int orderFor(const SurveyProperties& properties, double pixelArcsec) {
    SurveyProperties coarser = properties;
    while (coarser.order > 0) {
        --coarser.order;
        if (coarser.pixelArcsec() > pixelArcsec) {
            return coarser.order + 1;
        }
    }
    return 0;
}

/// The tiles that the nodes of a net lie in, with a pixel around each.
std::set<std::int64_t> tilesUnder(const std::vector<FacePos>& nodes, int order, int width) {
    std::set<std::int64_t> cells;
    const double tiles = std::ldexp(1.0, order);
    const double margin = 1.0 / width;
    const auto last = static_cast<std::int64_t>(tiles) - 1;
    for (const FacePos& pos : nodes) {
        for (const double dx : {-margin, margin}) {
            for (const double dy : {-margin, margin}) {
                const auto x = static_cast<std::int64_t>(std::floor(pos.x * tiles + dx));
                const auto y = static_cast<std::int64_t>(std::floor(pos.y * tiles + dy));
                cells.insert(nestedCell(order,
                                        pos.face,
                                        std::clamp<std::int64_t>(x, 0, last),
                                        std::clamp<std::int64_t>(y, 0, last)));
            }
        }
    }
    return cells;
}

Result<Tiles>
loadTiles(const Survey& survey, int order, const std::set<std::int64_t>& cells, const Job& job) {
    const std::vector<std::int64_t> list(cells.begin(), cells.end());
    std::vector<std::shared_ptr<const frame::Image>> images(list.size());
    auto loaded = tryEach(list.size(),
                          job,
                          [&](std::size_t i) -> Result<bool> {
                              auto tile = survey.tile(order, list[i], {job.stop, {}, {}});
                              if (!tile) {
                                  return fail(tile.error());
                              }
                              images[i] = std::move(*tile);
                              return true;
                          },
                          {kAtOnce, "Fetching the survey"});
    if (!loaded) {
        return fail(loaded.error());
    }
    Tiles tiles;
    for (std::size_t i = 0; i < list.size(); ++i) {
        if (images[i]) {
            tiles[list[i]] = std::move(images[i]);
        }
    }
    return tiles;
}

} // namespace

Result<SurveyPicture>
surveyPicture(const Survey& survey, const frame::Wcs& wcs, int width, int height, const Job& job) {
    const SurveyProperties& properties = survey.properties();
    SurveyPicture picture;
    picture.order = orderFor(properties, wcs.scaleArcsec());
    SurveyProperties used = properties;
    used.order = picture.order;
    picture.pixelArcsec = used.pixelArcsec();
    const PlaceNet net(survey, wcs, width, height);
    const auto tiles = loadTiles(
        survey, picture.order, tilesUnder(net.nodes(), picture.order, properties.tileWidth), job);
    if (!tiles) {
        return fail(tiles.error());
    }
    if (tiles->empty()) {
        return fail(ErrorId::MeasureOutside,
                    "The survey has nothing of this part of the sky.",
                    properties.title);
    }
    picture.tiles = static_cast<int>(tiles->size());
    picture.values = frame::Image(width, height);
    parallelFor(static_cast<std::size_t>(height), [&](std::size_t row) {
        Cells cells(*tiles, picture.order, properties.tileWidth);
        const auto out = picture.values.row(static_cast<int>(row));
        const auto y = static_cast<int>(row);
        for (int x = 0; x < width; x += kStep) {
            const auto part = out.subspan(static_cast<std::size_t>(x),
                                          static_cast<std::size_t>(std::min(kStep, width - x)));
            PlaceNet::Run run;
            if (net.run(x / kStep, y, run)) {
                cells.values(run, part);
                continue;
            }
            for (std::size_t i = 0; i < part.size(); ++i) {
                const SkyPos sky = wcs.toSky(
                    {static_cast<double>(x) + static_cast<double>(i), static_cast<double>(y)});
                part[i] = cells.value(toFace(properties.isGalactic ? galacticOf(sky) : sky));
            }
        }
    });
    return picture;
}

} // namespace pathmark::survey
