#pragma once

#include "desk/session/night_snapshot.h"

#include <QWidget>

class QVBoxLayout;

namespace pathmark::desk {

/// Why a frame is not solved: the questions asked of it, each with its number, and what to try.
class SolveChecks : public QWidget {
    Q_OBJECT

  public:
    explicit SolveChecks(QWidget* parent = nullptr);

    void setLight(const night::LightRecord& light);

  signals:
    void handFitWanted();

  private:
    void clear();

    QVBoxLayout* rows_ = nullptr;
};

} // namespace pathmark::desk
