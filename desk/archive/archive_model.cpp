#include "desk/archive/archive_model.h"

#include <algorithm>
#include <cmath>

namespace pathmark::desk {
namespace {

using night::PredictionRecord;

/// Magnitudes above the frame's limit, from the predicted signal-to-noise.
std::optional<double> aboveLimit(const PredictionRecord& p) {
    return p.snr ? std::optional(2.5 * std::log10(*p.snr / 5.0)) : std::nullopt;
}

bool isLess(const PredictionRecord& a, const PredictionRecord& b, int column) {
    // What has no value stands behind what has one.
    constexpr double nothing = 1e9;
    switch (column) {
    case ArchiveModel::Time: return a.time < b.time;
    case ArchiveModel::Body: return a.body < b.body;
    case ArchiveModel::Magnitude:
        return a.magnitude.value_or(nothing) < b.magnitude.value_or(nothing);
    case ArchiveModel::Above:
        return aboveLimit(a).value_or(-nothing) < aboveLimit(b).value_or(-nothing);
    case ArchiveModel::Rate: return a.rateArcsecPerMin < b.rateArcsecPerMin;
    default: return a.file < b.file;
    }
}

QString numberOr(const std::optional<double>& value, int decimals) {
    return value ? QString::number(*value, 'f', decimals) : QString("–");
}

} // namespace

void ArchiveModel::setNight(const NightSnapshot* night) {
    night_ = night;
    fill();
}

void ArchiveModel::setFilter(const QString& text) {
    filter_ = text;
    fill();
}

std::size_t ArchiveModel::predictionOf(int row) const {
    return rows_[static_cast<std::size_t>(row)];
}

void ArchiveModel::fill() {
    beginResetModel();
    rows_.clear();
    if (night_ != nullptr) {
        const auto& all = night_->predictions;
        for (std::size_t i = 0; i < all.size(); ++i) {
            if (filter_.isEmpty() ||
                QString::fromStdString(all[i].body.text()).contains(filter_, Qt::CaseInsensitive) ||
                QString::fromStdString(all[i].file.string())
                    .contains(filter_, Qt::CaseInsensitive)) {
                rows_.push_back(i);
            }
        }
        std::stable_sort(rows_.begin(), rows_.end(), [&](std::size_t a, std::size_t b) {
            return order_ == Qt::AscendingOrder ? isLess(all[a], all[b], column_)
                                                : isLess(all[b], all[a], column_);
        });
    }
    endResetModel();
}

int ArchiveModel::rowCount(const QModelIndex& parent) const {
    return parent.isValid() ? 0 : static_cast<int>(rows_.size());
}

int ArchiveModel::columnCount(const QModelIndex& parent) const {
    return parent.isValid() ? 0 : kColumns;
}

QVariant ArchiveModel::data(const QModelIndex& index, int role) const {
    const PredictionRecord& p = night_->predictions[predictionOf(index.row())];
    if (role == Qt::TextAlignmentRole) {
        const bool isNumber = index.column() >= Magnitude && index.column() <= Rate;
        return QVariant((isNumber ? Qt::AlignRight : Qt::AlignLeft) | Qt::AlignVCenter);
    }
    if (role == Qt::ToolTipRole && index.column() == File) {
        return QString::fromStdString(p.file.string());
    }
    if (role != Qt::DisplayRole) {
        return {};
    }
    switch (index.column()) {
    case Time: return QString::fromStdString(toIso(p.time, 0)).left(16).replace('T', ' ');
    case Body: return QString::fromStdString(p.title.empty() ? p.body.text() : p.title);
    case Magnitude: return numberOr(p.magnitude, 1);
    case Above: return numberOr(aboveLimit(p), 1);
    case Rate: return QString::number(p.rateArcsecPerMin, 'f', 2);
    default: return QString::fromStdString(p.file.filename().string());
    }
}

QVariant ArchiveModel::headerData(int section, Qt::Orientation orientation, int role) const {
    static const char* const names[kColumns] = {"UTC", "body", "mag", "above", "″/min", "frame"};
    if (orientation == Qt::Horizontal && role == Qt::DisplayRole) {
        return QString::fromUtf8(names[section]);
    }
    return {};
}

void ArchiveModel::sort(int column, Qt::SortOrder order) {
    column_ = column;
    order_ = order;
    fill();
}

} // namespace pathmark::desk
