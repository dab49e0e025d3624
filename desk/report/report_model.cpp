#include "desk/report/report_model.h"

#include "core/base/sexagesimal.h"
#include "desk/evidence/cutout.h"
#include "desk/report/sending_words.h"
#include "desk/theme/theme.h"

#include <QFontDatabase>

#include <algorithm>
#include <utility>

namespace pathmark::desk {
namespace {

constexpr int kKeptImages = 600;

/// What speaks against a line, what was waived, and what became of it, in two lines at the most: the panel below has it all.
QString warningText(const night::ReportLine& line) {
    QStringList open;
    QStringList rest;
    for (const night::Doubt& doubt : line.doubts) {
        const QString words = QString::fromStdString(doubt.words);
        if (doubt.waived) {
            rest << "✓ " + words;
        } else {
            open << "△ " + words;
        }
    }
    if (line.fate) {
        rest << stateWords(line.fate->state);
    }
    QStringList all = open + rest;
    if (all.size() > 2) {
        all = {all[0],
               all[1] +
                   ReportModel::tr("  and %n more", nullptr, static_cast<int>(all.size()) - 2)};
    }
    return all.join('\n');
}

} // namespace

ReportModel::ReportModel(JobRunner& jobs, QObject* parent)
    : QAbstractTableModel(parent), images_(kKeptImages), reading_(jobs, 1) {}

void ReportModel::setLines(std::vector<Line> lines) {
    beginResetModel();
    lines_ = std::move(lines);
    rows_.clear();
    for (std::size_t i = 0; i < lines_.size(); ++i) {
        rows_[lines_[i].line.measurement] = static_cast<int>(i);
    }
    endResetModel();
}

int ReportModel::rowOf(const std::string& measurement) const {
    const auto known = rows_.find(measurement);
    return known != rows_.end() ? known->second : -1;
}

int ReportModel::warned() const {
    return static_cast<int>(std::count_if(
        lines_.begin(), lines_.end(), [](const Line& l) { return l.line.isDoubted(); }));
}

int ReportModel::rowCount(const QModelIndex& parent) const {
    return parent.isValid() ? 0 : static_cast<int>(lines_.size());
}

int ReportModel::columnCount(const QModelIndex& parent) const {
    return parent.isValid() ? 0 : kColumns;
}

QImage ReportModel::image(int row) const {
    const auto& m = line(row).measurement;
    const QString id = QString::fromStdString(m.id);
    if (const QImage* known = images_.object(id)) {
        return *known;
    }
    if (!asked_.contains(id)) {
        asked_.insert(id);
        reading_.start([m] { return cutout(m); },
                       [this, id](const QImage& read) {
                           asked_.remove(id);
                           images_.insert(id, new QImage(read));
                           if (const int at = rowOf(id.toStdString()); at >= 0) {
                               const QModelIndex cell = index(at, Cutout);
                               emit const_cast<ReportModel*>(this)->dataChanged(cell,
                                                                                cell); // NOLINT
                           }
                       });
    }
    return {};
}

QString ReportModel::text(int row, int column) const {
    const auto& o = line(row).line.observation;
    switch (column) {
    case Body:
        return QString::fromStdString(o.body) +
               (o.stackedFrames > 1 ? "\n" + tr("%n frame(s)", nullptr, o.stackedFrames)
                                    : QString());
    case Time: return QString::fromStdString(toIso(o.time, 1)).chopped(1).replace('T', '\n');
    case Position:
        return QString(" %1 ± %2″\n%3 ± %4″")
            .arg(QString::fromStdString(toHours(o.sky.longitude, 3)))
            .arg(o.raErrorArcsec, 0, 'f', 3)
            .arg(QString::fromStdString(toDegrees(o.sky.latitude, 2)).leftJustified(12, ' '))
            .arg(o.decErrorArcsec, 0, 'f', 3);
    case Magnitude:
        return (o.magnitude ? QString("%1 ± %2 %3")
                                  .arg(*o.magnitude, 0, 'f', 2)
                                  .arg(o.magnitudeError, 0, 'f', 2)
                                  .arg(QString::fromStdString(o.band))
                            : QString("–")) +
               QString("\nS/N %1").arg(line(row).measurement.snr, 0, 'f', 1);
    case Warnings: return warningText(line(row).line);
    default: return {};
    }
}

QVariant ReportModel::data(const QModelIndex& index, int role) const {
    const int column = index.column();
    switch (role) {
    case Qt::DisplayRole: return text(index.row(), column);
    case Qt::ToolTipRole: return column == Warnings ? text(index.row(), column) : QString();
    case Qt::DecorationRole: return column == Cutout ? QVariant(image(index.row())) : QVariant();
    case Qt::FontRole:
        return column == Position ? QFontDatabase::systemFont(QFontDatabase::FixedFont)
                                  : QVariant();
    case Qt::ForegroundRole:
        return column != Warnings                   ? colours().text
               : line(index.row()).line.isDoubted() ? colours().disagrees
                                                    : colours().quiet;
    case Qt::AccessibleTextRole:
        return column == Cutout ? tr("Cut-out of %1").arg(text(index.row(), Body))
                                : text(index.row(), column);
    default: return {};
    }
}

QVariant ReportModel::headerData(int section, Qt::Orientation orientation, int role) const {
    if (role != Qt::DisplayRole || orientation != Qt::Horizontal) {
        return {};
    }
    switch (section) {
    case Body: return tr("Body");
    case Time: return tr("UTC");
    case Position: return tr("RA, Dec");
    case Magnitude: return tr("Magnitude");
    case Warnings: return tr("To be checked");
    default: return {};
    }
}

} // namespace pathmark::desk
