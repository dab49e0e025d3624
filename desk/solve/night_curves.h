#pragma once

#include "desk/session/night_snapshot.h"

#include <QString>
#include <QWidget>

#include <optional>
#include <vector>

namespace pathmark::desk {

/// The solutions of the night frame by frame: residual, matched stars, width of the stars, limiting magnitude, drift.
class NightCurves : public QWidget {
    Q_OBJECT

  public:
    /// One value of every light; nothing where it has none.
    struct Curve {
        QString title;
        int decimals;
        std::vector<std::optional<double>> values;
    };

    explicit NightCurves(QWidget* parent = nullptr);

    void setNight(const NightSnapshot* night);
    void setFrame(int index);

  protected:
    void paintEvent(QPaintEvent* event) override;

  private:
    std::vector<Curve> curves_;
    int frame_ = -1;
};

} // namespace pathmark::desk
