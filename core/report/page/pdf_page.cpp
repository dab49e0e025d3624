#include "core/report/freed.h"
#include "core/report/page/cairo_bytes.h"
#include "core/report/page/page_writers.h"
#include "core/report/page/plot_drawing.h"

#include <cairo-pdf.h>
#include <cairo.h>
#include <fmt/format.h>
#include <pango/pangocairo.h>

#include <algorithm>
#include <memory>

namespace pathmark::report {
namespace {

constexpr double kPageWidth = 595.0; ///< A4, points
constexpr double kPageHeight = 842.0;
constexpr double kEdge = 48.0;
constexpr double kRoom = kPageWidth - 2.0 * kEdge;
constexpr double kFoot = kPageHeight - 54.0; ///< nothing is written below
constexpr double kPlotHeight = 140.0;
constexpr double kPlotGap = 12.0;
constexpr double kPlotWidth = 0.5 * (kRoom - kPlotGap);
constexpr double kPictureSide = 74.0;
constexpr double kCellGap = 9.0;

using Layout = std::unique_ptr<PangoLayout, Freed<g_object_unref>>;
using Font = std::unique_ptr<PangoFontDescription, Freed<pango_font_description_free>>;

/// Lays items below each other on as many pages as they take.
class PdfWriter {
  public:
    PdfWriter(cairo_t* cairo, const Page& page) : cairo_(cairo), page_(page) {
        write(page.title, 19.0, true, 0.1);
        write(page.made, 8.5, false, 0.35);
    }

    void operator()(const PageHeading& heading) {
        constexpr double withWhatFollows = 90.0;
        y_ += heading.level == 2 ? 14.0 : 8.0;
        make(withWhatFollows);
        write(heading.text, heading.level == 2 ? 14.0 : 11.5, true, 0.1);
    }

    void operator()(const PageText& text) {
        write(text.text, text.isQuiet ? 8.5 : 10.0, false, text.isQuiet ? 0.35 : 0.1);
        y_ += 3.0;
    }

    void operator()(const PageTable& table) {
        const double size = sizeFor(table);
        const auto widths = widthsOf(table, size);
        drawRow(table.head, widths, size, true, table);
        for (const auto& row : table.rows) {
            drawRow(row, widths, size, false, table);
        }
        y_ += 6.0;
    }

    void operator()(const PageStrip& strip) {
        constexpr double step = kPictureSide + 9.0;
        double x = kEdge;
        for (const PagePicture& picture : strip.pictures) {
            if (x + kPictureSide > kEdge + kRoom) {
                x = kEdge;
                y_ += kPictureSide + 16.0;
            }
            if (x == kEdge) {
                make(kPictureSide + 16.0);
            }
            drawPicture(picture, x);
            x += step;
        }
        y_ += strip.pictures.empty() ? 0.0 : kPictureSide + 18.0;
    }

    void operator()(const PagePlots& plots) {
        for (std::size_t i = 0; i < plots.plots.size(); ++i) {
            if (i % 2 == 0) {
                make(kPlotHeight + 6.0);
            }
            cairo_save(cairo_);
            cairo_translate(
                cairo_, kEdge + static_cast<double>(i % 2) * (kPlotWidth + kPlotGap), y_);
            drawPlot(cairo_, plots.plots[i], kPlotWidth, kPlotHeight);
            cairo_restore(cairo_);
            if (i % 2 == 1 || i + 1 == plots.plots.size()) {
                y_ += kPlotHeight + 6.0;
            }
        }
    }

    void finish() {
        drawFoot();
        cairo_show_page(cairo_);
    }

  private:
    /// Begins another page where so much does not fit below.
    void make(double height) {
        if (y_ + height > kFoot && y_ > kEdge) {
            drawFoot();
            cairo_show_page(cairo_);
            ++number_;
            y_ = kEdge;
        }
    }

    void drawFoot() {
        const Layout layout =
            layoutOf(fmt::format("{}   ·   {}", page_.title, number_), 7.5, false);
        cairo_set_source_rgb(cairo_, 0.4, 0.4, 0.4);
        cairo_move_to(cairo_, kEdge, kPageHeight - 38.0);
        pango_cairo_show_layout(cairo_, layout.get());
    }

    [[nodiscard]] Layout layoutOf(const std::string& text, double size, bool isBold) const {
        Layout layout(pango_cairo_create_layout(cairo_));
        const Font font(pango_font_description_from_string("DejaVu Sans, sans-serif"));
        pango_font_description_set_absolute_size(font.get(), size * PANGO_SCALE);
        pango_font_description_set_weight(font.get(),
                                          isBold ? PANGO_WEIGHT_BOLD : PANGO_WEIGHT_NORMAL);
        pango_layout_set_font_description(layout.get(), font.get());
        pango_layout_set_text(layout.get(), text.c_str(), static_cast<int>(text.size()));
        return layout;
    }

    static double widthOf(const Layout& layout) {
        int width = 0;
        pango_layout_get_size(layout.get(), &width, nullptr);
        return static_cast<double>(width) / PANGO_SCALE;
    }

    static double heightOf(const Layout& layout) {
        int height = 0;
        pango_layout_get_size(layout.get(), nullptr, &height);
        return static_cast<double>(height) / PANGO_SCALE;
    }

    void write(const std::string& text, double size, bool isBold, double grey) {
        const Layout layout = layoutOf(text, size, isBold);
        pango_layout_set_width(layout.get(), static_cast<int>(kRoom * PANGO_SCALE));
        pango_layout_set_wrap(layout.get(), PANGO_WRAP_WORD_CHAR);
        make(heightOf(layout));
        cairo_set_source_rgb(cairo_, grey, grey, grey);
        cairo_move_to(cairo_, kEdge, y_);
        pango_cairo_show_layout(cairo_, layout.get());
        y_ += heightOf(layout) + 2.0;
    }

    [[nodiscard]] std::vector<double> widthsOf(const PageTable& table, double size) const {
        std::vector<double> widths(table.head.size(), 0.0);
        const auto widen = [&](const std::vector<std::string>& row, bool isBold) {
            for (std::size_t i = 0; i < std::min(row.size(), widths.size()); ++i) {
                widths[i] = std::max(widths[i], widthOf(layoutOf(row[i], size, isBold)) + kCellGap);
            }
        };
        widen(table.head, true);
        for (const auto& row : table.rows) {
            widen(row, false);
        }
        return widths;
    }

    /// As small as it takes for the table to fit; what still does not is cut by its last column's ellipsis.
    [[nodiscard]] double sizeFor(const PageTable& table) const {
        double size = 8.5;
        for (; size > 5.5; size -= 0.5) {
            const auto widths = widthsOf(table, size);
            double whole = 0.0;
            for (const double width : widths) {
                whole += width;
            }
            if (whole <= kRoom) {
                break;
            }
        }
        return size;
    }

    void drawRow(const std::vector<std::string>& row,
                 const std::vector<double>& widths,
                 double size,
                 bool isHead,
                 const PageTable& table) {
        const double height = 1.6 * size;
        if (y_ + height > kFoot) {
            make(height);
            if (!isHead) {
                drawRow(table.head, widths, size, true, table);
            }
        }
        double x = kEdge;
        cairo_set_source_rgb(cairo_, 0.1, 0.1, 0.1);
        for (std::size_t i = 0; i < std::min(row.size(), widths.size()); ++i) {
            const Layout layout = layoutOf(row[i], size, isHead);
            const double room = std::min(widths[i], kEdge + kRoom - x);
            if (room > 0.0) {
                pango_layout_set_width(layout.get(), static_cast<int>(room * PANGO_SCALE));
                pango_layout_set_ellipsize(layout.get(), PANGO_ELLIPSIZE_END);
                cairo_move_to(cairo_, x, y_);
                pango_cairo_show_layout(cairo_, layout.get());
            }
            x += widths[i];
        }
        y_ += height;
        if (isHead) {
            cairo_set_line_width(cairo_, 0.5);
            cairo_move_to(cairo_, kEdge, y_ - 1.5);
            cairo_line_to(cairo_, std::min(x, kEdge + kRoom), y_ - 1.5);
            cairo_stroke(cairo_);
        }
    }

    void drawPicture(const PagePicture& picture, double x) {
        const std::string png = toPng(picture);

        struct Rest {
            const std::string* bytes;
            std::size_t at = 0;
        } rest{&png};

        const auto read = [](void* from, unsigned char* into, unsigned count) {
            auto& left = *static_cast<Rest*>(from);
            if (left.at + count > left.bytes->size()) {
                return CAIRO_STATUS_READ_ERROR;
            }
            std::copy_n(left.bytes->data() + left.at, count, reinterpret_cast<char*>(into));
            left.at += count;
            return CAIRO_STATUS_SUCCESS;
        };
        cairo_surface_t* image = cairo_image_surface_create_from_png_stream(read, &rest);
        cairo_save(cairo_);
        cairo_translate(cairo_, x, y_);
        const double scale = kPictureSide / std::max(1, picture.width);
        cairo_scale(cairo_, scale, scale);
        cairo_set_source_surface(cairo_, image, 0.0, 0.0);
        cairo_pattern_set_filter(cairo_get_source(cairo_), CAIRO_FILTER_NEAREST);
        cairo_paint(cairo_);
        cairo_restore(cairo_);
        cairo_surface_destroy(image);
        const Layout layout = layoutOf(picture.caption, 6.5, false);
        cairo_set_source_rgb(cairo_, 0.35, 0.35, 0.35);
        cairo_move_to(cairo_, x, y_ + kPictureSide + 1.0);
        pango_cairo_show_layout(cairo_, layout.get());
    }

    cairo_t* cairo_;
    const Page& page_;
    double y_ = kEdge;
    int number_ = 1;
};

} // namespace

Result<std::string> toPdf(const Page& page) {
    std::string pdf;
    cairo_surface_t* surface =
        cairo_pdf_surface_create_for_stream(&appendBytes, &pdf, kPageWidth, kPageHeight);
    cairo_pdf_surface_set_metadata(surface, CAIRO_PDF_METADATA_TITLE, page.title.c_str());
    cairo_t* cairo = cairo_create(surface);
    PdfWriter writer(cairo, page);
    for (const PageItem& item : page.items) {
        std::visit(writer, item);
    }
    writer.finish();
    const cairo_status_t status = cairo_status(cairo);
    cairo_destroy(cairo);
    cairo_surface_finish(surface);
    const cairo_status_t written = cairo_surface_status(surface);
    cairo_surface_destroy(surface);
    if (status != CAIRO_STATUS_SUCCESS || written != CAIRO_STATUS_SUCCESS) {
        return fail(
            ErrorId::BaseInternal,
            fmt::format("The page cannot be drawn ({}).",
                        cairo_status_to_string(status != CAIRO_STATUS_SUCCESS ? status : written)));
    }
    return pdf;
}

} // namespace pathmark::report
