#pragma once

#include "core/night/quality.h"
#include "desk/session/night_snapshot.h"

#include <QWidget>

#include <vector>

namespace pathmark::desk {

/// One quality of every light against time, with a limit that can be dragged: what lies beyond it is shown hatched at
/// once, and left out only when the observer says so.
class QualityPlot : public QWidget {
    Q_OBJECT

  public:
    explicit QualityPlot(QWidget* parent = nullptr);

    void setNight(const NightSnapshot* night);
    void setQuality(night::Quality quality);

    /// Frames that the limit would leave out, by index of the light.
    [[nodiscard]] std::vector<int> fallingOut() const;

    [[nodiscard]] const night::ExclusionRule& rule() const { return rule_; }

    /// Where a light's mark is drawn, and where the limit can be taken hold of.
    [[nodiscard]] QPointF markOf(int light) const;
    [[nodiscard]] double limitY() const;

    QSize sizeHint() const override { return {330, 190}; }

  signals:
    void frameChosen(int light);
    void ruleChanged();

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;

  private:
    void measure();
    [[nodiscard]] QRectF area() const;
    [[nodiscard]] double yOf(double ratio) const;
    void moveLimit(double y);

    const NightSnapshot* night_ = nullptr;
    night::ExclusionRule rule_;
    std::vector<double> ratios_; ///< of the median of its series, NaN where not known
    double low_ = 0.5;
    double high_ = 2.0;
    bool dragging_ = false;
};

} // namespace pathmark::desk
