#pragma once

#include <optional>
#include <string>
#include <variant>
#include <vector>

// What a page for people is made of, whatever it is written as.
namespace pathmark::report {

struct PageHeading {
    std::string text;
    int level = 2; ///< 2: a part; 3: within one
};

struct PageText {
    std::string text;
    bool isQuiet = false; ///< explains, and may be passed over
};

/// Rows of as many cells as the head has.
struct PageTable {
    std::vector<std::string> head;
    std::vector<std::vector<std::string>> rows;
};

/// A grey picture, row-major, the top row first.
struct PagePicture {
    int width = 0;
    int height = 0;
    std::vector<unsigned char> grey;
    std::string caption;
};

/// Small pictures side by side.
struct PageStrip {
    std::vector<PagePicture> pictures;
};

struct PlotPoint {
    double x = 0.0;
    double y = 0.0;
    double error = 0.0; ///< of y; 0: none is drawn
};

struct PlotSeries {
    std::string name; ///< empty: it needs none
    std::vector<PlotPoint> points;
};

/// Points over a horizontal axis, series told apart by shape and shade.
struct PagePlot {
    std::string title;
    std::string xLabel;
    std::string yLabel;
    bool isDown = false;         ///< y grows downwards, as magnitudes do
    bool isClock = false;        ///< x are hours, written as a clock shows them
    std::optional<double> level; ///< a line at this y
    double leastSpan = 0.0;      ///< of y: a flat night looks flat
    std::vector<PlotSeries> series;
};

/// Plots side by side.
struct PagePlots {
    std::vector<PagePlot> plots;
};

using PageItem = std::variant<PageHeading, PageText, PageTable, PageStrip, PagePlots>;

struct Page {
    std::string title;
    std::string made; ///< when, and by what
    std::vector<PageItem> items;
};

} // namespace pathmark::report
