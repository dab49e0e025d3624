#include "core/frame/foreign_wcs.h"

#include "core/base/linear.h"
#include "core/frame/wcs_polynomial.h"

#include <fmt/format.h>
#include <wcshdr.h>
#include <wcslib.h>

#include <algorithm>
#include <array>
#include <cctype>
#include <cmath>
#include <memory>
#include <mutex>

namespace pathmark::frame {
namespace {

constexpr int kGrid = 32;
constexpr double kWanted = 3e-4; // pixels
constexpr double kAccepted = 1e-3;

/// Whether wcslib can be given a text: what it copies it copies into places of a card's size, and quotes end it.
bool isPlainText(const std::string& text) {
    constexpr std::size_t most = 68;
    return text.size() <= most && std::all_of(text.begin(), text.end(), [](unsigned char c) {
               return c >= 0x20 && c < 0x7f && c != '\'';
           });
}

/// A keyword as the standard has them.
bool isKeyword(const std::string& text) {
    return !text.empty() && text.size() <= 8 &&
           std::all_of(text.begin(), text.end(), [](unsigned char c) {
               return std::isupper(c) != 0 || std::isdigit(c) != 0 || c == '_' || c == '-';
           });
}

/// The cards as wcslib wants them: 80 characters each, END at the end.
///
/// TAN with terms beyond the projection's own is what older programs wrote for TPV.
std::string cardsOf(const Header& header) {
    const bool isOldTpv = header.find("PV1_4") != nullptr || header.find("PV2_4") != nullptr ||
                          header.find("PV2_1") != nullptr;
    std::string text;
    const auto add = [&](std::string line) {
        line.resize(80, ' ');
        text += line;
    };
    for (const Card& card : header.cards()) {
        const auto* said = std::get_if<std::string>(&card.value);
        if (!isKeyword(card.keyword) || (said != nullptr && !isPlainText(*said))) {
            continue;
        }
        std::string line = fmt::format("{:<8}= ", card.keyword);
        if (const auto* words = std::get_if<std::string>(&card.value)) {
            const bool renamed = isOldTpv && card.keyword.starts_with("CTYPE") &&
                                 words->size() > 5 && words->substr(5) == "TAN";
            line += fmt::format("'{:<8}'", renamed ? words->substr(0, 5) + "TPV" : *words);
        } else if (const auto* real = std::get_if<double>(&card.value)) {
            line += fmt::format("{:.17G}", *real);
        } else if (const auto* whole = std::get_if<long long>(&card.value)) {
            line += fmt::format("{}", *whole);
        } else {
            continue;
        }
        if (line.size() <= 80) {
            add(line);
        }
    }
    add("END");
    return text;
}

/// wcslib's list of solutions.
class Solutions {
  public:
    Solutions() = default;
    Solutions(const Solutions&) = delete;
    Solutions& operator=(const Solutions&) = delete;

    ~Solutions() {
        if (list_ != nullptr) {
            wcsvfree(&count_, &list_);
        }
    }

    bool parse(std::string cards) {
        // The parser is generated code with a state of its own.
        static std::mutex alone;
        const std::scoped_lock lock(alone);
        int rejected = 0;
        return wcspih(cards.data(),
                      static_cast<int>(cards.size() / 80),
                      WCSHDR_all,
                      0,
                      &rejected,
                      &count_,
                      &list_) == 0 &&
               count_ > 0 && wcsset(list_) == 0;
    }

    [[nodiscard]] bool isEquatorial() const {
        return list_->lng >= 0 && list_->lat >= 0 && std::string_view(list_->lngtyp) == "RA" &&
               list_->naxis == 2;
    }

    [[nodiscard]] std::optional<SkyPos> toSky(PixelPos pixel) const {
        const PixelPos fits = toFits(pixel);
        std::array<double, 2> place{fits.x, fits.y};
        std::array<double, 2> image{};
        std::array<double, 2> world{};
        double phi = 0.0;
        double theta = 0.0;
        int status = 0;
        if (wcsp2s(list_, 1, 2, place.data(), image.data(), &phi, &theta, world.data(), &status) !=
            0) {
            return std::nullopt;
        }
        return skyDegrees(world[static_cast<std::size_t>(list_->lng)],
                          world[static_cast<std::size_t>(list_->lat)]);
    }

  private:
    int count_ = 0;
    wcsprm* list_ = nullptr;
};

struct Node {
    double u, v; ///< scaled offsets
    PlanePos plane;
};

/// Polynomials without a constant through the nodes; the largest error in radians.
double fitPlane(const std::vector<Node>& nodes,
                int order,
                std::vector<double>& xi,
                std::vector<double>& eta) {
    const int n = (order + 1) * (order + 2) / 2;
    Eigen::MatrixXd design(static_cast<Eigen::Index>(nodes.size()), n - 1);
    Eigen::MatrixXd right(static_cast<Eigen::Index>(nodes.size()), 2);
    for (std::size_t k = 0; k < nodes.size(); ++k) {
        const auto row = static_cast<Eigen::Index>(k);
        Eigen::Index at = 0;
        for (int degree = 1; degree <= order; ++degree) {
            for (int q = 0; q <= degree; ++q) {
                design(row, at++) = std::pow(nodes[k].u, degree - q) * std::pow(nodes[k].v, q);
            }
        }
        right.row(row) << nodes[k].plane.xi, nodes[k].plane.eta;
    }
    const Eigen::MatrixXd terms = leastSquares(design, right);
    xi.assign(1, 0.0);
    eta.assign(1, 0.0);
    for (Eigen::Index k = 0; k < terms.rows(); ++k) {
        xi.push_back(terms(k, 0));
        eta.push_back(terms(k, 1));
    }
    return (productOf(design, terms) - right).cwiseAbs().maxCoeff();
}

} // namespace

Result<Wcs> readForeignWcs(const Header& header, int width, int height) {
    Solutions solutions;
    if (!header.text("CTYPE1") || width < 2 || height < 2 || !solutions.parse(cardsOf(header))) {
        return fail(ErrorId::FrameBadWcs,
                    "The header holds no plate solution that can be read; solve the frame.");
    }
    if (!solutions.isEquatorial()) {
        return fail(ErrorId::FrameBadWcs,
                    "The solution is not in right ascension and declination; solve the frame.");
    }
    const PixelPos middle{0.5 * (width - 1), 0.5 * (height - 1)};
    const double unit = 0.5 * std::max(width, height);
    const auto tangentPoint = solutions.toSky(middle);
    std::vector<Node> nodes;
    for (int j = 0; j <= kGrid && tangentPoint; ++j) {
        for (int i = 0; i <= kGrid; ++i) {
            const PixelPos pixel{(width - 1) * static_cast<double>(i) / kGrid,
                                 (height - 1) * static_cast<double>(j) / kGrid};
            const auto sky = solutions.toSky(pixel);
            const PlanePos plane =
                sky ? toTangentPlane(*tangentPoint, *sky) : PlanePos{std::nan(""), 0.0};
            if (!std::isfinite(plane.xi + plane.eta)) {
                return fail(ErrorId::FrameBadWcs,
                            "The solution leaves the sky inside the frame; solve the frame again.");
            }
            nodes.push_back({(pixel.x - middle.x) / unit, (pixel.y - middle.y) / unit, plane});
        }
    }
    if (nodes.empty()) {
        return fail(ErrorId::FrameBadWcs, "The solution says nothing about the frame; solve it.");
    }
    std::vector<double> xi;
    std::vector<double> eta;
    for (int order = 1; order <= 9; ++order) {
        const double error = fitPlane(nodes, order, xi, eta);
        const double scale =
            std::sqrt(std::abs(xi[1] * eta[2] - xi[2] * eta[1])) / unit; // radians per pixel
        if (!(scale > 0.0)) {
            break;
        }
        if (error / scale > (order < 9 ? kWanted : kAccepted)) {
            continue;
        }
        Wcs wcs = wcsOf({order, unit, xi, eta}, *tangentPoint, middle);
        addInverse(wcs, width, height);
        return wcs;
    }
    return fail(ErrorId::FrameBadWcs,
                "The solution is too curved over the frame to be kept; solve the frame again.");
}

} // namespace pathmark::frame
