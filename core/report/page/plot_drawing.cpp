#include "core/report/page/plot_drawing.h"

#include <cairo.h>
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <numbers>

namespace pathmark::report {
namespace {

constexpr double kLeft = 52.0;
constexpr double kRight = 10.0;
constexpr double kTop = 22.0;
constexpr double kBottom = 34.0;
constexpr double kText = 8.5;
constexpr double kMark = 2.2;
constexpr int kSteps = 5;        ///< of an axis, about
constexpr double kMargin = 0.06; ///< of the span, beyond the outermost points

struct Grey {
    double red;
    double green;
    double blue;
};

/// Told apart by lightness as well, for those who print without colour.
constexpr std::array kInks{
    Grey{0.10, 0.22, 0.42}, Grey{0.75, 0.36, 0.10}, Grey{0.35, 0.55, 0.35}, Grey{0.5, 0.5, 0.5}};

struct Axis {
    double low = 0.0;
    double high = 1.0;
    double step = 0.2;
    bool isClock = false;

    [[nodiscard]] double share(double value) const { return (value - low) / (high - low); }

    [[nodiscard]] std::string label(double value) const {
        if (isClock) {
            constexpr long day = 1440;
            const long minutes = ((std::lround(60.0 * value) % day) + day) % day;
            return fmt::format("{:02}:{:02}", minutes / 60, minutes % 60);
        }
        const int decimals =
            std::clamp(static_cast<int>(std::ceil(-std::log10(step) - 1e-9)), 0, 6);
        const double shown = std::abs(value) < 0.5 * std::pow(10.0, -decimals) ? 0.0 : value;
        return fmt::format("{:.{}f}", shown, decimals);
    }
};

Axis axisOver(double low, double high, int wanted, bool isClock) {
    if (!(high > low)) {
        const double room = std::max(1e-3, 0.01 * std::abs(low));
        low -= room;
        high += room;
    }
    const double margin = kMargin * (high - low);
    Axis axis{low - margin, high + margin, 0.0, isClock};
    const double span = axis.high - axis.low;
    axis.step = isClock ? clockStep(span, wanted) : roundStep(span, wanted);
    return axis;
}

class PlotDrawing {
  public:
    PlotDrawing(cairo_t* cairo, const PagePlot& plot, double width, double height)
        : cairo_(cairo), plot_(plot), width_(width), height_(height) {
        constexpr double none = std::numeric_limits<double>::infinity();
        double x0 = none, x1 = -none, y0 = none, y1 = -none;
        for (const PlotSeries& series : plot.series) {
            for (const PlotPoint& p : series.points) {
                x0 = std::min(x0, p.x);
                x1 = std::max(x1, p.x);
                y0 = std::min(y0, p.y - p.error);
                y1 = std::max(y1, p.y + p.error);
            }
        }
        if (plot.level) {
            y0 = std::min(y0, *plot.level);
            y1 = std::max(y1, *plot.level);
        }
        const double missing = 0.5 * (plot.leastSpan - (y1 - y0));
        if (missing > 0.0 && std::isfinite(missing)) {
            y0 -= missing;
            y1 += missing;
        }
        x_ = axisOver(
            std::isfinite(x0) ? x0 : 0.0, std::isfinite(x1) ? x1 : 1.0, kSteps, plot.isClock);
        y_ = axisOver(std::isfinite(y0) ? y0 : 0.0, std::isfinite(y1) ? y1 : 1.0, kSteps, false);
    }

    void draw() {
        cairo_save(cairo_);
        cairo_select_font_face(
            cairo_, "sans-serif", CAIRO_FONT_SLANT_NORMAL, CAIRO_FONT_WEIGHT_NORMAL);
        cairo_set_font_size(cairo_, kText);
        cairo_set_line_width(cairo_, 0.6);
        drawGrid();
        drawWords();
        for (std::size_t i = 0; i < plot_.series.size(); ++i) {
            drawSeries(i);
        }
        drawLegend();
        cairo_restore(cairo_);
    }

  private:
    [[nodiscard]] double atX(double x) const {
        return kLeft + x_.share(x) * (width_ - kLeft - kRight);
    }

    [[nodiscard]] double atY(double y) const {
        const double share = plot_.isDown ? y_.share(y) : 1.0 - y_.share(y);
        return kTop + share * (height_ - kTop - kBottom);
    }

    void ink(const Grey& grey) { cairo_set_source_rgb(cairo_, grey.red, grey.green, grey.blue); }

    void line(double xa, double ya, double xb, double yb) {
        cairo_move_to(cairo_, xa, ya);
        cairo_line_to(cairo_, xb, yb);
        cairo_stroke(cairo_);
    }

    double widthOf(const std::string& text) {
        cairo_text_extents_t extents;
        cairo_text_extents(cairo_, text.c_str(), &extents);
        return extents.x_advance;
    }

    void words(const std::string& text, double x, double y) {
        cairo_move_to(cairo_, x, y);
        cairo_show_text(cairo_, text.c_str());
    }

    void drawGrid() {
        const double right = width_ - kRight;
        const double bottom = height_ - kBottom;
        for (double v = std::ceil(x_.low / x_.step) * x_.step; v <= x_.high; v += x_.step) {
            ink({0.88, 0.88, 0.88});
            line(atX(v), kTop, atX(v), bottom);
            ink({0.2, 0.2, 0.2});
            const std::string label = x_.label(v);
            words(label, atX(v) - 0.5 * widthOf(label), bottom + 12.0);
        }
        for (double v = std::ceil(y_.low / y_.step) * y_.step; v <= y_.high; v += y_.step) {
            ink({0.88, 0.88, 0.88});
            line(kLeft, atY(v), right, atY(v));
            ink({0.2, 0.2, 0.2});
            const std::string label = y_.label(v);
            words(label, kLeft - 5.0 - widthOf(label), atY(v) + 3.0);
        }
        ink({0.4, 0.4, 0.4});
        cairo_rectangle(cairo_, kLeft, kTop, right - kLeft, bottom - kTop);
        cairo_stroke(cairo_);
        if (plot_.level) {
            ink({0.4, 0.4, 0.4});
            line(kLeft, atY(*plot_.level), right, atY(*plot_.level));
        }
    }

    void drawWords() {
        ink({0.1, 0.1, 0.1});
        words(plot_.title, kLeft, kTop - 8.0);
        words(plot_.xLabel,
              0.5 * (kLeft + width_ - kRight) - 0.5 * widthOf(plot_.xLabel),
              height_ - 8.0);
        cairo_save(cairo_);
        cairo_translate(
            cairo_, 11.0, 0.5 * (kTop + height_ - kBottom) + 0.5 * widthOf(plot_.yLabel));
        cairo_rotate(cairo_, -0.5 * std::numbers::pi);
        words(plot_.yLabel, 0.0, 0.0);
        cairo_restore(cairo_);
    }

    void mark(std::size_t series, double x, double y) {
        cairo_new_path(cairo_); // else a line would lead here from the last words
        if (series % 2 == 0) {
            cairo_arc(cairo_, x, y, kMark, 0.0, 2.0 * std::numbers::pi);
        } else {
            cairo_rectangle(cairo_, x - kMark, y - kMark, 2.0 * kMark, 2.0 * kMark);
        }
        if (series % 4 < 2) {
            cairo_fill(cairo_);
        } else {
            cairo_stroke(cairo_);
        }
    }

    void drawSeries(std::size_t series) {
        ink(kInks[series % kInks.size()]);
        for (const PlotPoint& p : plot_.series[series].points) {
            if (p.error > 0.0) {
                line(atX(p.x), atY(p.y - p.error), atX(p.x), atY(p.y + p.error));
            }
            mark(series, atX(p.x), atY(p.y));
        }
    }

    void drawLegend() {
        double x = width_ - kRight;
        for (std::size_t i = plot_.series.size(); i-- > 0;) {
            const std::string& name = plot_.series[i].name;
            if (name.empty()) {
                continue;
            }
            x -= widthOf(name);
            ink({0.1, 0.1, 0.1});
            words(name, x, kTop - 8.0);
            x -= 9.0;
            ink(kInks[i % kInks.size()]);
            mark(i, x + 3.0, kTop - 11.0);
            x -= 12.0;
        }
    }

    cairo_t* cairo_;
    const PagePlot& plot_;
    double width_;
    double height_;
    Axis x_;
    Axis y_;
};

} // namespace

double roundStep(double span, int wanted) {
    const double rough = span / std::max(1, wanted);
    const double power = std::pow(10.0, std::floor(std::log10(rough)));
    const double share = rough / power;
    return power * (share < 1.5 ? 1.0 : share < 3.5 ? 2.0 : share < 7.5 ? 5.0 : 10.0);
}

double clockStep(double hours, int wanted) {
    static constexpr std::array minutes{
        1.0, 2.0, 5.0, 10.0, 15.0, 20.0, 30.0, 60.0, 120.0, 180.0, 360.0, 720.0, 1440.0};
    const double rough = 60.0 * hours / std::max(1, wanted);
    const auto next = std::find_if(
        minutes.begin(), minutes.end(), [&](double step) { return step >= 0.75 * rough; });
    return (next == minutes.end() ? minutes.back() : *next) / 60.0;
}

void drawPlot(cairo_t* cairo, const PagePlot& plot, double width, double height) {
    PlotDrawing(cairo, plot, width, height).draw();
}

} // namespace pathmark::report
