#pragma once

#include "core/night/frame_stars.h"

#include <QAbstractTableModel>

#include <memory>
#include <optional>
#include <vector>

namespace pathmark::desk {

/// Rows of the star table: those of one status, or all, in the order of one column.
class StarTableModel : public QAbstractTableModel {
    Q_OBJECT

  public:
    enum Column { Status, Magnitude, Colour, Snr, RaOff, DecOff, Sigmas, X, Y, kColumns };

    using QAbstractTableModel::QAbstractTableModel;

    void setStars(std::shared_ptr<const night::FrameStars> stars);

    /// nullopt: all
    void setStatus(std::optional<solve::MatchStatus> status);

    [[nodiscard]] int count(std::optional<solve::MatchStatus> status) const;

    /// Index into FrameStars::stars of a row, and the row of such an index (-1: not shown).
    [[nodiscard]] int starOf(int row) const;
    [[nodiscard]] int rowOf(int star) const;

    int rowCount(const QModelIndex& parent = {}) const override;
    int columnCount(const QModelIndex& parent = {}) const override;
    QVariant data(const QModelIndex& index, int role) const override;
    QVariant headerData(int section, Qt::Orientation orientation, int role) const override;
    void sort(int column, Qt::SortOrder order) override;

  private:
    void fill();

    std::shared_ptr<const night::FrameStars> stars_;
    std::optional<solve::MatchStatus> status_;
    std::vector<int> rows_;
    int column_ = Magnitude;
    Qt::SortOrder order_ = Qt::AscendingOrder;
};

} // namespace pathmark::desk
