#include "desk/solve/star_table_model.h"

#include "desk/theme/theme.h"

#include <algorithm>
#include <cmath>

namespace pathmark::desk {
namespace {

using solve::MatchStatus;
using solve::StarResidual;

bool hasResidual(const StarResidual& star) {
    return star.status == MatchStatus::Used || star.status == MatchStatus::Rejected ||
           star.status == MatchStatus::Unclear;
}

/// What a column holds; NaN: nothing.
double valueOf(const StarResidual& star, int column) {
    const double nothing = std::nan("");
    switch (column) {
    case StarTableModel::Status: return static_cast<double>(star.status);
    case StarTableModel::Magnitude: return star.magG;
    case StarTableModel::Colour: return star.colour;
    case StarTableModel::Snr: return star.snr > 0.0 ? star.snr : nothing;
    case StarTableModel::RaOff: return hasResidual(star) ? star.raArcsec : nothing;
    case StarTableModel::DecOff: return hasResidual(star) ? star.decArcsec : nothing;
    case StarTableModel::Sigmas:
        return hasResidual(star) && star.sigmaArcsec > 0.0
                   ? std::hypot(star.raArcsec, star.decArcsec) / star.sigmaArcsec
                   : nothing;
    case StarTableModel::X: return frame::toFits(star.pixel).x;
    case StarTableModel::Y: return frame::toFits(star.pixel).y;
    default: return nothing;
    }
}

int decimalsOf(int column) {
    switch (column) {
    case StarTableModel::Magnitude:
    case StarTableModel::Colour: return 2;
    case StarTableModel::Snr: return 0;
    case StarTableModel::RaOff:
    case StarTableModel::DecOff: return 3;
    default: return 1;
    }
}

} // namespace

void StarTableModel::setStars(std::shared_ptr<const night::FrameStars> stars) {
    stars_ = std::move(stars);
    fill();
}

void StarTableModel::setStatus(std::optional<MatchStatus> status) {
    status_ = status;
    fill();
}

int StarTableModel::count(std::optional<MatchStatus> status) const {
    if (!stars_) {
        return 0;
    }
    return static_cast<int>(
        std::count_if(stars_->stars.begin(), stars_->stars.end(), [&](const auto& star) {
            return !status || star.status == *status;
        }));
}

int StarTableModel::starOf(int row) const {
    return rows_[static_cast<std::size_t>(row)];
}

int StarTableModel::rowOf(int star) const {
    const auto at = std::find(rows_.begin(), rows_.end(), star);
    return at == rows_.end() ? -1 : static_cast<int>(at - rows_.begin());
}

void StarTableModel::fill() {
    beginResetModel();
    rows_.clear();
    if (stars_) {
        for (std::size_t i = 0; i < stars_->stars.size(); ++i) {
            if (!status_ || stars_->stars[i].status == *status_) {
                rows_.push_back(static_cast<int>(i));
            }
        }
        std::stable_sort(rows_.begin(), rows_.end(), [this](int a, int b) {
            const double left = valueOf(stars_->stars[static_cast<std::size_t>(a)], column_);
            const double right = valueOf(stars_->stars[static_cast<std::size_t>(b)], column_);
            // What has no value stands last whichever way the column runs.
            if (std::isnan(left) || std::isnan(right)) {
                return std::isnan(right) && !std::isnan(left);
            }
            return order_ == Qt::AscendingOrder ? left < right : right < left;
        });
    }
    endResetModel();
}

int StarTableModel::rowCount(const QModelIndex& parent) const {
    return parent.isValid() ? 0 : static_cast<int>(rows_.size());
}

int StarTableModel::columnCount(const QModelIndex& parent) const {
    return parent.isValid() ? 0 : kColumns;
}

QVariant StarTableModel::data(const QModelIndex& index, int role) const {
    const StarResidual& star = stars_->stars[static_cast<std::size_t>(starOf(index.row()))];
    switch (role) {
    case Qt::DisplayRole: {
        if (index.column() == Status) {
            return QString(solve::name(star.status));
        }
        const double value = valueOf(star, index.column());
        return std::isnan(value) ? QString("–")
                                 : QString::number(value, 'f', decimalsOf(index.column()));
    }
    case Qt::TextAlignmentRole:
        return QVariant(index.column() == Status ? Qt::AlignLeft | Qt::AlignVCenter
                                                 : Qt::AlignRight | Qt::AlignVCenter);
    case Qt::ToolTipRole:
        return star.flags != 0 ? QString::fromStdString(detect::flagText(star.flags)) : QString();
    case Qt::ForegroundRole:
        if (index.column() == Status) {
            const Colours& c = colours();
            return star.status == MatchStatus::Used       ? c.agreed
                   : star.status == MatchStatus::Rejected ? c.disagrees
                   : star.status == MatchStatus::StarOnly ? c.predicted
                                                          : c.quiet;
        }
        return {};
    default: return {};
    }
}

QVariant StarTableModel::headerData(int section, Qt::Orientation orientation, int role) const {
    const QString names[kColumns] = {
        {}, "G", "BP−RP", tr("S/N"), tr("RA ″"), tr("Dec ″"), tr("off, σ"), "x", "y"};
    if (orientation == Qt::Horizontal && role == Qt::DisplayRole) {
        return names[section];
    }
    return {};
}

void StarTableModel::sort(int column, Qt::SortOrder order) {
    column_ = column;
    order_ = order;
    fill();
}

} // namespace pathmark::desk
