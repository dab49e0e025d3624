#pragma once

#include "desk/session/night_snapshot.h"

#include <QWidget>

namespace pathmark::desk {

/// Which series is fed by which master: series left, masters right, the feeding lines drawn, what was passed over with
/// its reason below.
class MatchMap : public QWidget {
    Q_OBJECT

  public:
    explicit MatchMap(QWidget* parent = nullptr);

    void setNight(const NightSnapshot* night);

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    double drawSeries(QPainter& painter, std::size_t group, double y) const;

    const NightSnapshot* night_ = nullptr;
};

} // namespace pathmark::desk
