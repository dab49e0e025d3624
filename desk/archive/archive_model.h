#pragma once

#include "desk/session/night_snapshot.h"

#include <QAbstractTableModel>

#include <vector>

namespace pathmark::desk {

/// Every known body in every frame of an archive, in the order of one column.
class ArchiveModel : public QAbstractTableModel {
    Q_OBJECT

  public:
    enum Column { Time, Body, Magnitude, Above, Rate, File, kColumns };

    using QAbstractTableModel::QAbstractTableModel;

    /// `night` must outlive it, or be replaced first; null: nothing to show.
    void setNight(const NightSnapshot* night);

    /// Only bodies whose name holds this, or frames whose path does.
    void setFilter(const QString& text);

    /// Index into NightSnapshot::predictions of a row.
    [[nodiscard]] std::size_t predictionOf(int row) const;

    int rowCount(const QModelIndex& parent = {}) const override;
    int columnCount(const QModelIndex& parent = {}) const override;
    QVariant data(const QModelIndex& index, int role) const override;
    QVariant headerData(int section, Qt::Orientation orientation, int role) const override;
    void sort(int column, Qt::SortOrder order) override;

  private:
    void fill();

    const NightSnapshot* night_ = nullptr;
    QString filter_;
    std::vector<std::size_t> rows_;
    int column_ = Time;
    Qt::SortOrder order_ = Qt::AscendingOrder;
};

} // namespace pathmark::desk
