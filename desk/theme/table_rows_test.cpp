#include "desk/theme/table_rows.h"

#include <QStandardItemModel>
#include <QWidget>

#include <gtest/gtest.h>

namespace pathmark::desk {
namespace {

class TableRowsTest : public testing::Test {
  protected:
    TableRowsTest() {
        table.setModel(&model);
        setRowHeight(table, 20);
        setColumnFor(table, 0, "2034-03-17 21:02:11");
    }

    [[nodiscard]] int needed(const QString& text) const {
        return table.fontMetrics().horizontalAdvance(text);
    }

    QWidget window;
    QTableView table{&window};
    QStandardItemModel model{0, 2};
};

/// A theme may change while the rows are still being worked out: the column has room for them when they come.
TEST_F(TableRowsTest, AColumnKeepsTheRoomForItsTextWhileItIsEmpty) {
    EXPECT_GE(table.columnWidth(0), needed("2034-03-17 21:02:11"));
    growRows(window);
    EXPECT_GE(table.columnWidth(0), needed("2034-03-17 21:02:11"));
    model.appendRow({new QStandardItem("2034-03-17 21:02:11"), new QStandardItem("x")});
    growRows(window);
    EXPECT_GE(table.columnWidth(0), needed("2034-03-17 21:02:11"));
}

TEST_F(TableRowsTest, RowsAndColumnsGrowWithTheText) {
    const int height = table.verticalHeader()->defaultSectionSize();
    const int width = table.columnWidth(0);
    QFont larger = table.font();
    larger.setPointSizeF(larger.pointSizeF() * 1.5);
    table.setFont(larger);
    growRows(window);
    EXPECT_GE(table.columnWidth(0), needed("2034-03-17 21:02:11"));
    EXPECT_GT(table.columnWidth(0), width);
    EXPECT_EQ(table.verticalHeader()->defaultSectionSize(), height)
        << "that goes by the text's per cent";
}

/// What has no text of its own takes what its rows need.
TEST_F(TableRowsTest, OtherColumnsFollowTheirRows) {
    const QString longest = "a remark that is much longer than a column is by itself, and wider";
    model.appendRow({new QStandardItem("x"), new QStandardItem(longest)});
    growRows(window);
    EXPECT_GE(table.columnWidth(1), needed(longest));
}

} // namespace
} // namespace pathmark::desk
