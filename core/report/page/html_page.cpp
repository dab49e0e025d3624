#include "core/base/base64.h"
#include "core/report/page/cairo_bytes.h"
#include "core/report/page/page_writers.h"
#include "core/report/page/plot_drawing.h"

#include <cairo-svg.h>
#include <cairo.h>
#include <fmt/format.h>

#include <algorithm>
#include <memory>

namespace pathmark::report {
namespace {

constexpr double kSvgWidth = 470.0;
constexpr double kSvgHeight = 210.0;

constexpr const char* kStyle = R"(
body { font: 15px/1.45 "DejaVu Sans", sans-serif; color: #1a1a1a; background: #fff; max-width: 66em; margin: 2em auto; padding: 0 1em; }
h1 { font-size: 1.7em; margin-bottom: 0; }
h2 { font-size: 1.25em; border-bottom: 1px solid #bbb; padding-bottom: .2em; margin-top: 2em; }
h3 { font-size: 1.05em; margin-bottom: .3em; margin-top: 1.6em; }
p { margin: .5em 0; }
.quiet, .made { color: #555; font-size: .9em; }
table { border-collapse: collapse; margin: .6em 0; font-size: .88em; display: block; overflow-x: auto; }
th, td { text-align: left; padding: .2em .9em .2em 0; white-space: nowrap; font-variant-numeric: tabular-nums; vertical-align: top; }
th { border-bottom: 1px solid #999; font-weight: 600; }
tr:nth-child(even) td { background: #f5f5f5; }
figure { display: inline-block; margin: .3em .6em .3em 0; text-align: center; }
figure img { width: 124px; image-rendering: pixelated; display: block; }
figcaption { font-size: .75em; color: #555; }
.plots svg { width: 48%; min-width: 24em; height: auto; margin: .2em .3em .2em 0; }
@media print { h2, h3 { break-after: avoid; } figure, tr { break-inside: avoid; } }
)";

std::string escaped(const std::string& text) {
    std::string out;
    for (const char c : text) {
        switch (c) {
        case '&': out += "&amp;"; break;
        case '<': out += "&lt;"; break;
        case '>': out += "&gt;"; break;
        case '"': out += "&quot;"; break;
        default: out += c; break;
        }
    }
    return out;
}

/// The drawing alone, without the head that a file of its own would have.
std::string svgOf(const PagePlot& plot, int number) {
    std::string svg;
    cairo_surface_t* surface =
        cairo_svg_surface_create_for_stream(&appendBytes, &svg, kSvgWidth, kSvgHeight);
    cairo_t* cairo = cairo_create(surface);
    drawPlot(cairo, plot, kSvgWidth, kSvgHeight);
    cairo_destroy(cairo);
    cairo_surface_destroy(surface);
    const auto begin = svg.find("<svg");
    svg.erase(0, begin == std::string::npos ? svg.size() : begin);
    // Drawings on one page must not share the names of their letters.
    for (const char* name : {"\"glyph", "#glyph"}) {
        const std::string own = fmt::format("{}{}-", std::string(name).substr(0, 1) + "p", number) +
                                std::string(name).substr(1);
        for (auto at = svg.find(name); at != std::string::npos;
             at = svg.find(name, at + own.size())) {
            svg.replace(at, std::string(name).size(), own);
        }
    }
    return svg;
}

class HtmlWriter {
  public:
    void operator()(const PageHeading& heading) {
        text_ += fmt::format("<h{0}>{1}</h{0}>\n", heading.level, escaped(heading.text));
    }

    void operator()(const PageText& paragraph) {
        text_ += fmt::format(
            "<p{}>{}</p>\n", paragraph.isQuiet ? " class=\"quiet\"" : "", escaped(paragraph.text));
    }

    void operator()(const PageTable& table) {
        text_ += "<table>\n<tr>";
        for (const std::string& cell : table.head) {
            text_ += "<th>" + escaped(cell) + "</th>";
        }
        text_ += "</tr>\n";
        for (const auto& row : table.rows) {
            text_ += "<tr>";
            for (const std::string& cell : row) {
                text_ += "<td>" + escaped(cell) + "</td>";
            }
            text_ += "</tr>\n";
        }
        text_ += "</table>\n";
    }

    void operator()(const PageStrip& strip) {
        text_ += "<div>\n";
        for (const PagePicture& picture : strip.pictures) {
            text_ += fmt::format("<figure><img alt=\"{0}\" src=\"data:image/png;base64,{1}\"/>"
                                 "<figcaption>{0}</figcaption></figure>\n",
                                 escaped(picture.caption),
                                 toBase64(toPng(picture)));
        }
        text_ += "</div>\n";
    }

    void operator()(const PagePlots& plots) {
        text_ += "<div class=\"plots\">\n";
        for (const PagePlot& plot : plots.plots) {
            text_ += "<span role=\"img\" aria-label=\"" + escaped(plot.title) + "\">" +
                     svgOf(plot, plots_++) + "</span>\n";
        }
        text_ += "</div>\n";
    }

    std::string take() { return std::move(text_); }

  private:
    std::string text_;
    int plots_ = 0;
};

} // namespace

std::string toPng(const PagePicture& picture) {
    std::string png;
    const std::unique_ptr<cairo_surface_t, void (*)(cairo_surface_t*)> surface(
        cairo_image_surface_create(CAIRO_FORMAT_RGB24, picture.width, picture.height),
        &cairo_surface_destroy);
    if (cairo_surface_status(surface.get()) != CAIRO_STATUS_SUCCESS) {
        return png;
    }
    cairo_surface_flush(surface.get());
    unsigned char* rows = cairo_image_surface_get_data(surface.get());
    const int stride = cairo_image_surface_get_stride(surface.get());
    for (int y = 0; y < picture.height; ++y) {
        for (int x = 0; x < picture.width; ++x) {
            std::fill_n(
                rows + y * stride + 4 * x,
                4,
                picture.grey[static_cast<std::size_t>(y) * static_cast<std::size_t>(picture.width) +
                             static_cast<std::size_t>(x)]);
        }
    }
    cairo_surface_mark_dirty(surface.get());
    cairo_surface_write_to_png_stream(surface.get(), &appendBytes, &png);
    return png;
}

std::string toHtml(const Page& page) {
    HtmlWriter writer;
    for (const PageItem& item : page.items) {
        std::visit(writer, item);
    }
    return fmt::format("<!DOCTYPE html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\"/>\n"
                       "<meta name=\"viewport\" content=\"width=device-width\"/>\n"
                       "<title>{0}</title>\n<style>{1}</style>\n</head>\n<body>\n<h1>{0}</h1>\n"
                       "<p class=\"made\">{2}</p>\n{3}</body>\n</html>\n",
                       escaped(page.title),
                       kStyle,
                       escaped(page.made),
                       writer.take());
}

} // namespace pathmark::report
