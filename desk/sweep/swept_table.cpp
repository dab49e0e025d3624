#include "desk/sweep/swept_table.h"

#include "desk/shell/power_text.h"
#include "desk/theme/theme.h"

namespace pathmark::desk {

void SweptTable::setRows(std::vector<Row> rows) {
    beginResetModel();
    rows_ = std::move(rows);
    endResetModel();
}

const SweptTable::Row* SweptTable::row(int index) const {
    return index >= 0 && index < rowCount() ? &rows_[static_cast<std::size_t>(index)] : nullptr;
}

int SweptTable::rowOf(const orbit::BodyId& body) const {
    for (int k = 0; k < rowCount(); ++k) {
        if (orbit::BodyId::of(rows_[static_cast<std::size_t>(k)].body.name) == body) {
            return k;
        }
    }
    return -1;
}

int SweptTable::rowCount(const QModelIndex& parent) const {
    return parent.isValid() ? 0 : static_cast<int>(rows_.size());
}

int SweptTable::columnCount(const QModelIndex& parent) const {
    return parent.isValid() ? 0 : kColumns;
}

QString SweptTable::text(const Row& row, int column) const {
    const night::SweptBody& b = row.body;
    switch (column) {
    case Name: {
        const QString name = b.name.empty() ? tr("turns up") : QString::fromStdString(b.name);
        return row.verdict.isEmpty() ? name : tr("%1 · %2").arg(name, row.verdict);
    }
    case Rate: return QString::number(b.rateArcsecPerMin, 'f', 3);
    case Angle: return QString::number(b.positionAngleDegrees, 'f', 1);
    case Snr: return QString::number(b.snr, 'f', 1);
    case ByChance:
        return !row.isJudged ? QString()
               : b.falseAlarmsLog10 > -1.0
                   ? QString::number(std::pow(10.0, b.falseAlarmsLog10), 'g', 2)
                   : powerOfTen(b.falseAlarmsLog10);
    case Magnitude: return b.magnitude ? QString::number(*b.magnitude, 'f', 1) : QString();
    default: return {};
    }
}

QVariant SweptTable::data(const QModelIndex& index, int role) const {
    const Row* row = this->row(index.row());
    if (row == nullptr) {
        return {};
    }
    switch (role) {
    case Qt::DisplayRole: return text(*row, index.column());
    case Qt::TextAlignmentRole:
        return QVariant::fromValue(index.column() == Name ? Qt::AlignLeft | Qt::AlignVCenter
                                                          : Qt::AlignRight | Qt::AlignVCenter);
    case Qt::ForegroundRole:
        return row->body.known || !row->isJudged ? QVariant(colours().quiet) : QVariant();
    default: return {};
    }
}

QVariant SweptTable::headerData(int section, Qt::Orientation orientation, int role) const {
    if (orientation != Qt::Horizontal) {
        return {};
    }
    if (role == Qt::TextAlignmentRole) {
        return QVariant::fromValue(section == Name ? Qt::AlignLeft | Qt::AlignVCenter
                                                   : Qt::AlignRight | Qt::AlignVCenter);
    }
    if (role == Qt::ToolTipRole && section == ByChance) {
        return tr("Candidates as high as this that chance alone makes in the whole sweep");
    }
    if (role != Qt::DisplayRole) {
        return {};
    }
    switch (section) {
    case Name: return tr("Body");
    case Rate: return tr("\"/min");
    case Angle: return tr("angle, °");
    case Snr: return tr("S/N");
    case ByChance: return tr("by chance");
    case Magnitude: return tr("mag");
    default: return {};
    }
}

} // namespace pathmark::desk
