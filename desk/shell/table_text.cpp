#include "desk/shell/table_text.h"

#include <QAbstractItemModel>
#include <QApplication>
#include <QItemSelectionModel>
#include <QTableView>

namespace pathmark::desk {
namespace {

QString oneLine(QString text) {
    return text.replace('\n', ' ').replace('\t', ' ').simplified();
}

QString cellText(const QAbstractItemModel& model, int row, int column) {
    return oneLine(model.index(row, column).data(Qt::DisplayRole).toString());
}

QString headOf(const QAbstractItemModel& model, int column) {
    const QString head =
        oneLine(model.headerData(column, Qt::Horizontal, Qt::DisplayRole).toString());
    return head.isEmpty() ? QString("column %1").arg(column + 1) : head;
}

} // namespace

catalog::WrittenTable writtenTable(const QAbstractItemModel& model, const QString& name) {
    catalog::WrittenTable table{name.toStdString(), {}, {}};
    for (int column = 0; column < model.columnCount(); ++column) {
        table.columns.push_back({headOf(model, column).toStdString(), "char", "", ""});
    }
    for (int row = 0; row < model.rowCount(); ++row) {
        std::vector<std::string> cells;
        for (int column = 0; column < model.columnCount(); ++column) {
            cells.push_back(cellText(model, row, column).toStdString());
        }
        table.rows.push_back(std::move(cells));
    }
    return table;
}

QString copiedText(const QTableView& table) {
    const QAbstractItemModel& model = *table.model();
    const QModelIndexList chosen = table.selectionModel()->selectedRows();
    QString text;
    const auto addRow = [&](int row) {
        QStringList cells;
        for (int column = 0; column < model.columnCount(); ++column) {
            if (!table.isColumnHidden(column)) {
                cells << (row < 0 ? headOf(model, column) : cellText(model, row, column));
            }
        }
        text += cells.join('\t') + '\n';
    };
    addRow(-1);
    if (chosen.size() > 1) {
        for (const QModelIndex& index : chosen) {
            addRow(index.row());
        }
    } else {
        for (int row = 0; row < model.rowCount(); ++row) {
            addRow(row);
        }
    }
    return text;
}

QTableView* tableIn(QWidget& room) {
    if (auto* focused = qobject_cast<QTableView*>(QApplication::focusWidget())) {
        return focused;
    }
    for (auto* table : room.findChildren<QTableView*>()) {
        if (table->isVisible() && table->model() != nullptr && table->model()->rowCount() > 0) {
            return table;
        }
    }
    return nullptr;
}

} // namespace pathmark::desk
