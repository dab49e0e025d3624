#pragma once

#include "desk/jobs/job_lane.h"
#include "desk/session/night_snapshot.h"

#include <QImage>
#include <QWidget>

#include <vector>

namespace pathmark::desk {

/// The body through time: one cut-out for each measurement, north up; the chosen one is framed.
class CutoutStrip : public QWidget {
    Q_OBJECT

  public:
    explicit CutoutStrip(JobRunner& jobs, QWidget* parent = nullptr);

    void setMeasurements(const Measurements& measurements);
    void setChosen(int index);

    [[nodiscard]] int chosen() const { return chosen_; }

    [[nodiscard]] QRect cellRect(int index) const;

    /// How many cut-outs have been read so far.
    [[nodiscard]] int loaded() const;

  signals:
    void chosenChanged(int index);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;

  private:
    [[nodiscard]] int cellSide() const;
    [[nodiscard]] int columns() const;
    void load();
    void fitHeight();

    Measurements measurements_;
    std::vector<QImage> images_;
    int chosen_ = 0;
    JobLane reading_;
};

} // namespace pathmark::desk
