#pragma once

#include "core/night/frame_stars.h"
#include "core/solve/residual_summary.h"

#include <QWidget>

#include <memory>
#include <vector>

namespace pathmark::desk {

/// The frame as the camera saw it with an arrow at each star, from where the catalogue puts it to where it was found; or
/// with the median arrow of each part of the frame. The scale of the arrows is drawn beside them.
class ResidualMap : public QWidget {
    Q_OBJECT

  public:
    explicit ResidualMap(QWidget* parent = nullptr);

    void setStars(std::shared_ptr<const night::FrameStars> stars);

    /// Median arrows instead of single ones.
    void setMedians(bool medians);

    [[nodiscard]] bool showsMedians() const { return medians_; }

    void setChosen(int star);

    /// Length on the map of one arcsecond of residual, in screen pixels.
    [[nodiscard]] double pixelsPerArcsec() const { return magnification_; }

    /// Where a pixel of the frame is drawn.
    [[nodiscard]] QPointF toMap(frame::PixelPos pixel) const;

  signals:
    void starChosen(int star); ///< index into FrameStars::stars

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;

  private:
    [[nodiscard]] QRectF frameRect() const;
    void measure();
    void drawArrow(QPainter& painter, frame::PixelPos at, double dx, double dy) const;
    void drawStars(QPainter& painter) const;
    void drawMedians(QPainter& painter) const;
    void drawScale(QPainter& painter) const;
    void drawCompass(QPainter& painter) const;

    std::shared_ptr<const night::FrameStars> stars_;
    std::vector<solve::ResidualCell> cells_;
    bool medians_ = false;
    int chosen_ = -1;
    double magnification_ = 1.0;
};

} // namespace pathmark::desk
