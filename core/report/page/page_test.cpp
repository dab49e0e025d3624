#include "core/report/page/page_writers.h"
#include "core/report/page/plot_drawing.h"

#include <fmt/format.h>
#include <gtest/gtest.h>
#include <libxml/parser.h>
#include <png.h>

#include <cstring>

namespace pathmark::report {
namespace {

Page madePage() {
    Page page;
    page.title = "Night of \"X\" <at> Z99 & more";
    page.made = "made up";
    page.items.emplace_back(PageHeading{"What was <done>", 2});
    page.items.emplace_back(
        PageText{"Words with é, 小, & and </p><script>alert(1)</script>.", false});
    PageTable table{{"Body", "UTC", "O−C"}, {}};
    for (int i = 0; i < 120; ++i) {
        table.rows.push_back({fmt::format("row {}", i), "21:00:00", "a|b\"c\n"});
    }
    page.items.emplace_back(table);
    PagePicture picture{3, 2, {0, 128, 255, 10, 20, 30}, "cut-out"};
    page.items.emplace_back(PageStrip{{picture, picture}});
    PagePlot plot{"Plot", "UTC", "mag", true, true, 0.0, 0.0, {}};
    plot.series.push_back({"one", {{23.5, 1.0, 0.1}, {24.5, 2.0, 0.0}}});
    plot.series.push_back({"two", {{23.7, 1.5, 0.0}}});
    page.items.emplace_back(PagePlots{{plot, plot, PagePlot{}}});
    return page;
}

std::size_t count(const std::string& text, const std::string& word) {
    std::size_t found = 0;
    for (auto at = text.find(word); at != std::string::npos; at = text.find(word, at + 1)) {
        ++found;
    }
    return found;
}

/// Truth: libxml2 reads it without a fault, so every name and every word is within its element; nothing is asked of elsewhere.
TEST(PageTest, HtmlIsWellFormedAndNeedsNothingElse) {
    const std::string html = toHtml(madePage());
    xmlDoc* read = xmlReadMemory(html.data(),
                                 static_cast<int>(html.size()),
                                 "page.html",
                                 nullptr,
                                 XML_PARSE_NONET | XML_PARSE_NOERROR | XML_PARSE_HUGE);
    EXPECT_NE(read, nullptr);
    xmlFreeDoc(read);
    EXPECT_EQ(html.find("<script"), std::string::npos);
    EXPECT_EQ(count(html, "src=\""), count(html, "src=\"data:"));
    EXPECT_EQ(html.find("@import"), std::string::npos);
    EXPECT_EQ(html.find("url("), std::string::npos);
    EXPECT_EQ(count(html, "<svg"), 3U);
    EXPECT_EQ(count(html, "<tr>"), 121U);
}

/// Drawings on one page do not share the names of their letters, or one would be written in the other's.
TEST(PageTest, PlotsOnAPageKeepTheirLettersApart) {
    const std::string html = toHtml(madePage());
    std::vector<std::string> names;
    for (auto at = html.find(" id=\""); at != std::string::npos; at = html.find(" id=\"", at + 1)) {
        names.push_back(html.substr(at + 5, html.find('"', at + 5) - at - 5));
    }
    ASSERT_GT(names.size(), 20U);
    std::sort(names.begin(), names.end());
    EXPECT_EQ(std::adjacent_find(names.begin(), names.end()), names.end());
}

/// Truth: libpng reads the bytes back.
TEST(PageTest, PicturesAreWhatTheyWere) {
    const std::string png = toPng({3, 2, {0, 128, 255, 10, 20, 30}, {}});
    png_image image{};
    image.version = PNG_IMAGE_VERSION;
    ASSERT_NE(png_image_begin_read_from_memory(&image, png.data(), png.size()), 0);
    image.format = PNG_FORMAT_GRAY;
    ASSERT_EQ(image.width, 3U);
    ASSERT_EQ(image.height, 2U);
    std::array<unsigned char, 6> grey{};
    ASSERT_NE(png_image_finish_read(&image, nullptr, grey.data(), 3, nullptr), 0);
    EXPECT_EQ(grey, (std::array<unsigned char, 6>{0, 128, 255, 10, 20, 30}));
}

TEST(PageTest, PdfHasAsManyPagesAsItTakes) {
    const auto pdf = toPdf(madePage());
    ASSERT_TRUE(pdf);
    EXPECT_TRUE(pdf->starts_with("%PDF-"));
    EXPECT_NE(pdf->find("%%EOF"), std::string::npos);
    // 120 rows of some 14 points on pages of 740: three of them, plots included.
    EXPECT_GE(count(*pdf, "/Type /Page "), 3U);
    EXPECT_EQ(count(*toPdf(Page{"Short", "", {}}), "/Type /Page "), 1U);
}

struct Steps {
    double span;
    double step;
    double clock; ///< minutes, where the span is of hours
};

class StepTest : public testing::TestWithParam<Steps> {};

/// Truth: 1, 2 and 5 times a power of ten, and the parts of an hour, by hand.
TEST_P(StepTest, AxesHaveRoundNumbers) {
    EXPECT_NEAR(roundStep(GetParam().span, 5), GetParam().step, 1e-12 * GetParam().step);
    EXPECT_NEAR(60.0 * clockStep(GetParam().span, 5), GetParam().clock, 1e-9);
}

INSTANTIATE_TEST_SUITE_P(Spans,
                         StepTest,
                         testing::Values(Steps{1.0, 0.2, 10.0},
                                         Steps{0.27, 0.05, 5.0},
                                         Steps{0.034, 0.005, 1.0},
                                         Steps{8.0, 2.0, 120.0},
                                         Steps{12.0, 2.0, 120.0},
                                         Steps{300.0, 50.0, 1440.0}));

} // namespace
} // namespace pathmark::report
