#include "desk/solve/residual_plots.h"

#include "desk/theme/theme.h"

#include <QPainter>

#include <algorithm>
#include <cmath>

namespace pathmark::desk {
namespace {

constexpr int kBins = 8;
constexpr std::size_t kFewestBins = 4;

} // namespace

ResidualPlots::ResidualPlots(QWidget* parent) : QWidget(parent) {
    setObjectName("residualPlots");
    setMinimumHeight(216);
    setToolTip("Residuals along RA are short level strokes, along Dec upright ones; rejected stars "
               "are crosses. The stepped lines are running medians: solid RA, dotted Dec.");
}

void ResidualPlots::setStars(const std::shared_ptr<const night::FrameStars>& stars) {
    chosen_ = -1;
    plots_ = {Plot{"against magnitude", "G", {}, {}, {}, 0.0, 1.0},
              Plot{"away from the middle of the frame", "px", {}, {}, {}, 0.0, 1.0},
              Plot{"against colour", "BP − RP", {}, {}, {}, 0.0, 1.0}};
    std::vector<double> sizes;
    if (stars && stars->solution) {
        const frame::PixelPos middle = stars->size.middle();
        const double scale = stars->solution->wcs.scaleArcsec();
        for (std::size_t i = 0; i < stars->stars.size(); ++i) {
            const auto& star = stars->stars[i];
            const bool rejected = star.status == solve::MatchStatus::Rejected;
            if (star.status != solve::MatchStatus::Used && !rejected) {
                continue;
            }
            const int index = static_cast<int>(i);
            plots_[0].points.push_back({index, star.magG, star.raArcsec, false, rejected});
            plots_[0].points.push_back({index, star.magG, star.decArcsec, true, rejected});
            const double dx = star.pixel.x - middle.x;
            const double dy = star.pixel.y - middle.y;
            const double radius = std::hypot(dx, dy);
            const double outward =
                radius > 1.0 ? (dx * star.dxPixels + dy * star.dyPixels) / radius * scale : 0.0;
            plots_[1].points.push_back({index, radius, outward, false, rejected});
            if (std::isfinite(star.colour)) {
                plots_[2].points.push_back({index, star.colour, star.raArcsec, false, rejected});
                plots_[2].points.push_back({index, star.colour, star.decArcsec, true, rejected});
            }
            if (!rejected) {
                sizes.push_back(std::max(std::abs(star.raArcsec), std::abs(star.decArcsec)));
            }
        }
    }
    if (!sizes.empty()) {
        const auto most = sizes.begin() +
                          static_cast<std::ptrdiff_t>(0.97 * static_cast<double>(sizes.size() - 1));
        std::nth_element(sizes.begin(), most, sizes.end());
        reach_ = std::max(1.3 * *most, 1e-4);
    }
    for (Plot& plot : plots_) {
        fill(plot);
    }
    update();
}

void ResidualPlots::fill(Plot& plot) {
    if (plot.points.empty()) {
        return;
    }
    const auto [low, high] =
        std::minmax_element(plot.points.begin(),
                            plot.points.end(),
                            [](const auto& a, const auto& b) { return a.at < b.at; });
    plot.low = low->at;
    plot.high = std::max(high->at, plot.low + 1e-3);
    for (const bool alongDec : {false, true}) {
        std::vector<solve::TrendPoint> own;
        for (const Point& point : plot.points) {
            if (point.alongDec == alongDec && !point.rejected) {
                own.push_back({point.at, point.value});
            }
        }
        auto trend = solve::trendOf(std::move(own), kBins);
        if (trend.size() >= kFewestBins) { // a line through two medians says nothing
            (alongDec ? plot.trendDec : plot.trend) = std::move(trend);
        }
    }
}

void ResidualPlots::setChosen(int star) {
    chosen_ = star;
    update();
}

void ResidualPlots::draw(QPainter& painter, const QRectF& box, const Plot& plot) const {
    const Colours& c = colours();
    painter.setPen(QPen(c.line, 1.0));
    painter.drawRect(box);
    painter.drawLine(QPointF(box.left(), box.center().y()), QPointF(box.right(), box.center().y()));
    const auto place = [&](double at, double value) {
        return QPointF(
            box.left() + 10 + (at - plot.low) / (plot.high - plot.low) * (box.width() - 20),
            box.center().y() - std::clamp(value / reach_, -1.0, 1.0) * (0.5 * box.height() - 3.0));
    };
    for (const Point& point : plot.points) {
        const QPointF p = place(point.at, point.value);
        const bool chosen = point.star == chosen_;
        painter.setPen(QPen(chosen           ? c.text
                            : point.rejected ? c.disagrees
                                             : c.agreed,
                            chosen ? 2.4 : 1.0));
        const double r = chosen ? 4.0 : 2.0;
        if (point.rejected) {
            painter.drawLine(p + QPointF(-r, -r), p + QPointF(r, r));
            painter.drawLine(p + QPointF(-r, r), p + QPointF(r, -r));
        } else if (point.alongDec) {
            painter.drawLine(p + QPointF(0, -r), p + QPointF(0, r));
        } else {
            painter.drawLine(p + QPointF(-r, 0), p + QPointF(r, 0));
        }
    }
    for (const bool alongDec : {false, true}) {
        const auto& trend = alongDec ? plot.trendDec : plot.trend;
        painter.setPen(QPen(c.text, 1.8, alongDec ? Qt::DotLine : Qt::SolidLine));
        for (std::size_t i = 0; i < trend.size(); ++i) {
            const QPointF p = place(trend[i].at, trend[i].median);
            if (i > 0) {
                painter.drawLine(place(trend[i - 1].at, trend[i - 1].median), p);
            }
        }
    }
    painter.setPen(c.quiet);
    const QRectF text = box.adjusted(6, 1, -6, -1);
    const QColor veil(c.ground.red(), c.ground.green(), c.ground.blue(), 200);
    const auto label = [&](int where, const QString& words) {
        painter.fillRect(painter.boundingRect(text, where, words), veil);
        painter.drawText(text, where, words);
    };
    label(Qt::AlignTop | Qt::AlignLeft, plot.title);
    label(Qt::AlignTop | Qt::AlignRight, QString("± %1″").arg(reach_, 0, 'g', 2));
    if (!plot.points.empty()) {
        const int decimals = plot.unit == "px" ? 0 : 1;
        label(Qt::AlignBottom | Qt::AlignLeft, QString::number(plot.low, 'f', decimals));
        label(Qt::AlignBottom | Qt::AlignRight,
              QString("%1 %2").arg(plot.unit, QString::number(plot.high, 'f', decimals)));
    } else {
        painter.drawText(box, Qt::AlignCenter, "the catalogue gives none");
    }
}

void ResidualPlots::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    const double each = height() / 3.0;
    for (std::size_t i = 0; i < plots_.size(); ++i) {
        draw(painter,
             QRectF(4.5, each * static_cast<double>(i) + 0.5, width() - 9.0, each - 5.0),
             plots_[i]);
    }
}

} // namespace pathmark::desk
