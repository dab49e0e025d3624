#pragma once

#include "desk/session/night_snapshot.h"

#include <QWidget>

namespace pathmark::desk {

/// What the folder holds: each group a row of strokes, one for each frame, in its kind's lane.
class GatherBench : public QWidget {
    Q_OBJECT

  public:
    explicit GatherBench(QWidget* parent = nullptr);

    void setNight(const NightSnapshot* night);

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    const NightSnapshot* night_ = nullptr;
};

} // namespace pathmark::desk
