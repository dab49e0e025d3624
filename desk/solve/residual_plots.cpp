#include "desk/solve/residual_plots.h"

#include "core/solve/residual_summary.h"

#include <QVBoxLayout>

#include <algorithm>
#include <cmath>

namespace pathmark::desk {
namespace {

constexpr int kBins = 8;
constexpr std::size_t kFewestBins = 4;
constexpr double kShown =
    0.97; ///< of the residuals lie inside of the plot; those beyond stand at its edge

/// One star in one plot.
struct Point {
    int star = 0;
    double at = 0.0;
    double value = 0.0; ///< arcsec
    bool rejected = false;
};

/// The residuals of one direction against one thing.
struct Residuals {
    QString name;
    PlotMark mark = PlotMark::Level;
    bool dotted = false; ///< its running median
    std::vector<Point> points;
};

/// Half the height of the plots in arcsec.
double reachOf(const night::FrameStars& stars) {
    std::vector<double> sizes;
    for (const auto& star : stars.stars) {
        if (star.status == solve::MatchStatus::Used) {
            sizes.push_back(std::max(std::abs(star.raArcsec), std::abs(star.decArcsec)));
        }
    }
    if (sizes.empty()) {
        return 1.0;
    }
    const auto most =
        sizes.begin() + static_cast<std::ptrdiff_t>(kShown * static_cast<double>(sizes.size() - 1));
    std::nth_element(sizes.begin(), most, sizes.end());
    return std::max(1.3 * *most, 1e-4);
}

PlotSet medianOf(const Residuals& residuals) {
    std::vector<solve::TrendPoint> own;
    for (const Point& point : residuals.points) {
        if (!point.rejected) {
            own.push_back({point.at, point.value});
        }
    }
    PlotSet line{ResidualPlots::tr("running median, %1").arg(residuals.name),
                 0,
                 PlotRole::Text,
                 PlotMark::None,
                 true,
                 {}};
    line.dotted = residuals.dotted;
    const auto trend = solve::trendOf(std::move(own), kBins);
    if (trend.size() >= kFewestBins) { // a line through two medians says nothing
        for (const auto& bin : trend) {
            line.points.push_back({bin.at, bin.median, 0.0, -1, {}});
        }
    }
    return line;
}

std::vector<PlotSet> setsOf(const std::vector<Residuals>& all, double reach) {
    std::vector<PlotSet> sets;
    for (const Residuals& residuals : all) {
        PlotSet used{residuals.name, 0, PlotRole::Agreed, residuals.mark, false, {}};
        PlotSet rejected{ResidualPlots::tr("%1, rejected").arg(residuals.name),
                         0,
                         PlotRole::Disagrees,
                         PlotMark::Cross,
                         false,
                         {}};
        for (const Point& point : residuals.points) {
            (point.rejected ? rejected : used)
                .points.push_back(
                    {point.at,
                     std::clamp(point.value, -reach, reach),
                     0.0,
                     point.star,
                     QString("%1 %2″").arg(residuals.name).arg(point.value, 0, 'f', 3)});
        }
        sets.push_back(std::move(used));
        sets.push_back(std::move(rejected));
    }
    for (const Residuals& residuals : all) {
        sets.push_back(medianOf(residuals)); // over all points
    }
    return sets;
}

} // namespace

ResidualPlots::ResidualPlots(QWidget* parent) : QWidget(parent) {
    setObjectName("residualPlots");
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(4, 0, 4, 0);
    layout->setSpacing(0);
    const std::array<std::pair<const char*, QString>, 3> axes{
        std::pair{"residualsByMagnitude", tr("G")},
        std::pair{"residualsByDistance", tr("px from the middle of the frame")},
        std::pair{"residualsByColour", tr("BP − RP")}};
    for (std::size_t i = 0; i < plots_.size(); ++i) {
        plots_[i] = new Plot;
        plots_[i]->setLeastHeight(100);
        plots_[i]->setObjectName(axes[i].first);
        plots_[i]->setAxes({axes[i].second, false, false},
                           {{i == 1 ? tr("outward ″") : tr("RA, Dec ″"), false, true}});
        plots_[i]->setEmptyText(tr("The catalogue gives no such value."));
        layout->addWidget(plots_[i], 1);
        connect(plots_[i], &Plot::picked, this, &ResidualPlots::starPicked);
    }
}

void ResidualPlots::setStars(const std::shared_ptr<const night::FrameStars>& stars) {
    for (Plot* plot : plots_) {
        plot->setChosen(-1);
        plot->setSets({});
    }
    if (!stars || !stars->solution) {
        return;
    }
    const std::vector<Residuals> both{{tr("RA"), PlotMark::Level, false, {}},
                                      {tr("Dec"), PlotMark::Upright, true, {}}};
    std::vector<Residuals> byMagnitude = both;
    std::vector<Residuals> byColour = both;
    std::vector<Residuals> byDistance{{tr("outward"), PlotMark::Level, false, {}}};
    const frame::PixelPos middle = stars->size.middle();
    const double scale = stars->solution->wcs.scaleArcsec();
    for (std::size_t i = 0; i < stars->stars.size(); ++i) {
        const auto& star = stars->stars[i];
        const bool rejected = star.status == solve::MatchStatus::Rejected;
        if (star.status != solve::MatchStatus::Used && !rejected) {
            continue;
        }
        const int index = static_cast<int>(i);
        const double dx = star.pixel.x - middle.x;
        const double dy = star.pixel.y - middle.y;
        const double radius = std::hypot(dx, dy);
        const double outward =
            radius > 1.0 ? (dx * star.dxPixels + dy * star.dyPixels) / radius * scale : 0.0;
        byMagnitude[0].points.push_back({index, star.magG, star.raArcsec, rejected});
        byMagnitude[1].points.push_back({index, star.magG, star.decArcsec, rejected});
        byDistance[0].points.push_back({index, radius, outward, rejected});
        if (std::isfinite(star.colour)) {
            byColour[0].points.push_back({index, star.colour, star.raArcsec, rejected});
            byColour[1].points.push_back({index, star.colour, star.decArcsec, rejected});
        }
    }
    const double reach = reachOf(*stars);
    plots_[0]->setSets(setsOf(byMagnitude, reach));
    plots_[1]->setSets(setsOf(byDistance, reach));
    plots_[2]->setSets(setsOf(byColour, reach));
}

void ResidualPlots::setChosen(int star) {
    for (Plot* plot : plots_) {
        plot->setChosen(star);
    }
}

} // namespace pathmark::desk
