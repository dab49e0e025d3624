#pragma once

#include "core/night/records.h"

#include <QAbstractTableModel>

#include <vector>

namespace pathmark::desk {

/// What sweeps found, the surest first, as a table.
class SweptTable : public QAbstractTableModel {
    Q_OBJECT

  public:
    enum Column { Name, Rate, Angle, Snr, ByChance, Magnitude, kColumns };

    struct Row {
        night::SweptBody body;
        QString verdict;       ///< of the observer, or what it is; empty: none yet
        bool isJudged = false; ///< false: it has just turned up, and may be chance
    };

    using QAbstractTableModel::QAbstractTableModel;

    void setRows(std::vector<Row> rows);

    [[nodiscard]] const Row* row(int index) const;

    /// -1: it is not among them.
    [[nodiscard]] int rowOf(const orbit::BodyId& body) const;

    int rowCount(const QModelIndex& parent = {}) const override;
    int columnCount(const QModelIndex& parent = {}) const override;
    QVariant data(const QModelIndex& index, int role) const override;
    QVariant headerData(int section, Qt::Orientation orientation, int role) const override;

  private:
    [[nodiscard]] QString text(const Row& row, int column) const;

    std::vector<Row> rows_;
};

} // namespace pathmark::desk
