#pragma once

#include "desk/session/picture.h"
#include "desk/sky/sky_marks.h"
#include "desk/sky/star_marks.h"

#include <QPointF>
#include <QTransform>
#include <QWidget>

#include <memory>
#include <optional>
#include <vector>

namespace pathmark::desk {

/// The frame or the stack: zoom with the wheel, pan by dragging, loupe under the cursor, marks that hide while H is
/// held.
class SkyView : public QWidget {
    Q_OBJECT

  public:
    explicit SkyView(QWidget* parent = nullptr);

    void setPicture(std::shared_ptr<const Picture> picture);
    void setMarks(std::vector<PathMark> marks);
    void setStarMarks(std::vector<StarMark> marks);

    /// While on, the left button and the wheel belong to the fit by hand, and the other buttons move the picture.
    void setHandMode(bool on);

    /// What to say while there is no picture.
    void setEmptyText(const QString& text);

    [[nodiscard]] const Picture* picture() const { return picture_.get(); }

    [[nodiscard]] double zoom() const { return zoom_; }

    [[nodiscard]] bool northUp() const { return northUp_; }

    [[nodiscard]] bool marksHidden() const { return marksHidden_; }

    /// The widget point of a pixel of the picture, and back.
    [[nodiscard]] QPointF toWidget(frame::PixelPos pixel) const;
    [[nodiscard]] frame::PixelPos toPixel(const QPointF& point) const;

    /// The line of text for a place: pixel, value, right ascension and declination.
    [[nodiscard]] QString describe(const QPointF& point) const;

    void setMarksHidden(bool hidden);

  public slots:
    void fitAll();
    void zoomBy(double factor, const QPointF& about);
    void toggleNorthUp();
    void centreOn(frame::PixelPos pixel);

  signals:
    void cursorText(const QString& text);

    /// Another picture is shown: marks on its pixels are to be made anew.
    void pictureShown();

    /// In hand mode: the stars were dragged from one place of the picture to another, or the wheel was turned over one.
    void handDragged(pathmark::frame::PixelPos from, pathmark::frame::PixelPos to);
    void handWheel(double notches, pathmark::frame::PixelPos about, Qt::KeyboardModifiers keys);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void leaveEvent(QEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;

  private:
    void drawPicture(QPainter& painter) const;
    [[nodiscard]] QTransform transform() const;
    [[nodiscard]] double turnDegrees() const;
    [[nodiscard]] bool mirrorForNorth() const;
    void drawLoupe(QPainter& painter) const;
    void drawCompass(QPainter& painter) const;

    std::shared_ptr<const Picture> picture_;
    std::vector<PathMark> marks_;
    std::vector<StarMark> starMarks_;
    bool handMode_ = false;
    bool dragsStars_ = false; ///< the drag that is going on belongs to the fit by hand
    QString emptyText_;
    double zoom_ = 0.0; ///< screen pixels per picture pixel; 0: not yet fitted
    frame::PixelPos centre_;
    bool northUp_ = true;
    bool marksHidden_ = false;
    bool fitted_ = true; ///< zoom follows the window's size
    std::optional<QPointF> dragFrom_;
    std::optional<QPointF> cursor_;
};

} // namespace pathmark::desk
