#pragma once

#include "desk/jobs/job_lane.h"
#include "desk/report/report_session.h"

#include <QAbstractTableModel>
#include <QCache>
#include <QImage>
#include <QSet>

#include <map>
#include <vector>

namespace pathmark::desk {

/// The lines of the report as a table, each with its cut-out, which is read when it is first seen.
class ReportModel : public QAbstractTableModel {
    Q_OBJECT

  public:
    enum Column { Cutout, Body, Time, Position, Magnitude, Warnings, kColumns };

    explicit ReportModel(JobRunner& jobs, QObject* parent = nullptr);

    using Line = ReportSession::Line;

    void setLines(std::vector<Line> lines);

    [[nodiscard]] const Line& line(int row) const { return lines_[static_cast<std::size_t>(row)]; }

    /// The row of a measurement; -1: it is not reported.
    [[nodiscard]] int rowOf(const std::string& measurement) const;

    [[nodiscard]] int warned() const; ///< lines in doubt

    int rowCount(const QModelIndex& parent = {}) const override;
    int columnCount(const QModelIndex& parent = {}) const override;
    QVariant data(const QModelIndex& index, int role) const override;
    QVariant headerData(int section, Qt::Orientation orientation, int role) const override;

  private:
    [[nodiscard]] QString text(int row, int column) const;
    [[nodiscard]] QImage image(int row) const;

    std::vector<Line> lines_;
    std::map<std::string, int> rows_;
    mutable QCache<QString, QImage> images_; ///< by measurement
    mutable QSet<QString> asked_;
    mutable JobLane reading_;
};

} // namespace pathmark::desk
