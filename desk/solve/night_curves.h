#pragma once

#include "desk/session/night_snapshot.h"

#include <QWidget>

namespace pathmark::desk {

/// The solutions of the night frame by frame: residual, matched stars, width of the stars, limiting magnitude, drift.
class NightCurves : public QWidget {
    Q_OBJECT

  public:
    explicit NightCurves(QWidget* parent = nullptr);

    void setNight(const NightSnapshot* night);
    void setFrame(int index);

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    const NightSnapshot* night_ = nullptr;
    int frame_ = -1;
};

} // namespace pathmark::desk
