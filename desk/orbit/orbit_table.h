#pragma once

#include "core/night/body_orbit.h"

#include <QAbstractTableModel>

#include <memory>

namespace pathmark::desk {

/// The observations of an orbit, one a row in order of time.
class OrbitTable : public QAbstractTableModel {
    Q_OBJECT

  public:
    enum Column { Part, Time, Station, RaOff, DecOff, Sigma, kColumns };

    using QAbstractTableModel::QAbstractTableModel;

    void setOrbit(std::shared_ptr<const night::BodyOrbit> orbit);

    int rowCount(const QModelIndex& parent = {}) const override;
    int columnCount(const QModelIndex& parent = {}) const override;
    QVariant data(const QModelIndex& index, int role) const override;
    QVariant headerData(int section, Qt::Orientation orientation, int role) const override;

  private:
    std::shared_ptr<const night::BodyOrbit> orbit_;
};

} // namespace pathmark::desk
