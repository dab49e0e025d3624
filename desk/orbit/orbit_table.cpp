#include "desk/orbit/orbit_table.h"

#include "desk/orbit/orbit_plot.h"
#include "desk/shell/words.h"
#include "desk/theme/theme.h"

#include <cmath>

namespace pathmark::desk {
namespace {

QString words(ObservationPart part) {
    switch (part) {
    case ObservationPart::Used: return Words::tr("in");
    case ObservationPart::Tonight: return Words::tr("in, tonight");
    case ObservationPart::LeftOut: return Words::tr("× left out");
    case ObservationPart::SwitchedOff: return Words::tr("○ off");
    }
    return {};
}

} // namespace

void OrbitTable::setOrbit(std::shared_ptr<const night::BodyOrbit> orbit) {
    const int before = rowCount();
    const int after = orbit == nullptr ? 0 : static_cast<int>(orbit->judgement.sightings.size());
    // The same rows with other values: the chosen row and the place in the list stay.
    if (before == after && before > 0) {
        orbit_ = std::move(orbit);
        emit dataChanged(index(0, 0), index(after - 1, kColumns - 1));
        return;
    }
    beginResetModel();
    orbit_ = std::move(orbit);
    endResetModel();
}

int OrbitTable::rowCount(const QModelIndex& parent) const {
    return parent.isValid() || orbit_ == nullptr
               ? 0
               : static_cast<int>(orbit_->judgement.sightings.size());
}

int OrbitTable::columnCount(const QModelIndex& parent) const {
    return parent.isValid() ? 0 : kColumns;
}

QVariant OrbitTable::data(const QModelIndex& index, int role) const {
    const auto row = static_cast<std::size_t>(index.row());
    const orbit::Sighting& s = orbit_->judgement.sightings[row];
    const auto& residuals = orbit_->judgement.residuals;
    const ObservationPart part = partOf(*orbit_, row);
    switch (role) {
    case Qt::DisplayRole:
        switch (index.column()) {
        case Part: return words(part);
        case Time:
            return QString::fromStdString(toIso(s.observer.utc, 0)).left(19).replace('T', ' ');
        case Station:
            return QString::fromStdString(orbit_->what.given.observations[s.source].station);
        case RaOff: return residuals.empty() ? QString() : withSign(residuals[row].xiArcsec, 2);
        case DecOff: return residuals.empty() ? QString() : withSign(residuals[row].etaArcsec, 2);
        case Sigma: return QString::number(s.sigmaXi / kRadiansPerArcsec, 'f', 2);
        default: return {};
        }
    case Qt::TextAlignmentRole:
        return QVariant((index.column() >= RaOff ? Qt::AlignRight : Qt::AlignLeft) |
                        Qt::AlignVCenter);
    case Qt::ForegroundRole: {
        const Colours& c = colours();
        if (part == ObservationPart::SwitchedOff) {
            return c.quiet;
        }
        if (index.column() == Part) {
            return part == ObservationPart::LeftOut   ? c.disagrees
                   : part == ObservationPart::Tonight ? c.inHand
                                                      : c.agreed;
        }
        return {};
    }
    default: return {};
    }
}

QVariant OrbitTable::headerData(int section, Qt::Orientation orientation, int role) const {
    const QString names[kColumns] = {
        tr("in the fit"), tr("UTC"), tr("code"), tr("RA O−C"), tr("Dec O−C"), "± ″"};
    if (orientation == Qt::Horizontal && role == Qt::DisplayRole) {
        return names[section];
    }
    return {};
}

} // namespace pathmark::desk
