#pragma once

#include "desk/session/picture.h"
#include "desk/sky/disc_marks.h"
#include "desk/sky/sky_marks.h"
#include "desk/sky/star_marks.h"

#include <QImage>
#include <QPointF>
#include <QTimer>
#include <QTransform>
#include <QWidget>

#include <map>
#include <memory>
#include <optional>
#include <set>
#include <utility>
#include <vector>

namespace pathmark::desk {

/// A window on the sky with a picture and layers of marks over it: zoom with the wheel, pan by dragging, loupe under the cursor,
/// marks that hide while H is held. The view has pixels of its own, those of the grid that the picture is laid on: each picture is
/// drawn from its own pixels, turned and moved so that the sky stands still when another is shown.
class SkyView : public QWidget {
    Q_OBJECT

  public:
    explicit SkyView(QWidget* parent = nullptr);

    void setPicture(std::shared_ptr<const Picture> picture);
    void setMarks(std::vector<PathMark> marks);
    void setStarMarks(std::vector<StarMark> marks);
    void setCurveMarks(std::vector<StarMark> marks); ///< of stars that light curves are made with
    void setDiscs(std::vector<DiscMark> marks);

    /// A circle about a place of the sky: of the light in hand. It stands there on every solved picture.
    struct Ring {
        SkyPos place;
        double arcsec = 0.0;
    };

    void setRing(const std::optional<Ring>& ring);

    /// What lies over the picture, in the order in which it is drawn.
    enum class Layer { Discs, Stars, Curves, Ring, Paths };

    void setLayerShown(Layer layer, bool shown);
    [[nodiscard]] bool isLayerShown(Layer layer) const;

    /// While on, the left button and the wheel belong to the fit by hand, and the other buttons move the picture.
    void setHandMode(bool on);

    /// While on, the left button draws a circle from its middle.
    void setCircleMode(bool on);

    /// What to say while there is no picture.
    void setEmptyText(const QString& text);

    [[nodiscard]] const Picture* picture() const { return picture_.get(); }

    [[nodiscard]] double zoom() const { return zoom_; }

    [[nodiscard]] bool northUp() const { return northUp_; }

    /// What part of the sky is seen, and how.
    struct Look {
        double zoom = 0.0;
        QPointF centre; ///< of the view's pixels
        bool northUp = true;

        friend bool operator==(const Look&, const Look&) = default;
    };

    [[nodiscard]] Look look() const { return {zoom_, centre_, northUp_}; }

    /// Shows the same part; for another view of a picture on the same grid.
    void setLook(const Look& look);

    /// As if a place of the picture were clicked.
    void clickPlace(const SkyPos& place) { emit placeClicked(place); }

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

    /// Another part is seen.
    void looked();

    /// The mouse moves over a place of a solved picture.
    void cursorOver(const pathmark::SkyPos& place);

    /// Another picture is shown: marks on its pixels are to be made anew.
    void pictureShown();

    /// In hand mode: the stars were dragged from one place of the picture to another, or the wheel was turned over one.
    void handDragged(pathmark::frame::PixelPos from, pathmark::frame::PixelPos to);
    void handWheel(double notches, pathmark::frame::PixelPos about, Qt::KeyboardModifiers keys);

    /// A place of a solved picture was clicked, where no mode wants the mouse.
    void placeClicked(const pathmark::SkyPos& place);

    /// In circle mode: a circle was drawn on the picture.
    void circleDrawn(pathmark::frame::PixelPos centre, double radius);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void leaveEvent(QEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;

  private:
    void drawPicture(QPainter& painter);
    void drawLayers(QPainter& painter) const;
    void setLayer(Layer layer, std::unique_ptr<SkyLayer> content);
    void placePicture();
    void placeRing();
    [[nodiscard]] QSize viewSize() const;
    [[nodiscard]] QRectF worthSeeing() const;
    [[nodiscard]] double brightest(const QRectF& box) const;
    [[nodiscard]] std::pair<const QImage*, int> imageAt(double zoom) const;
    [[nodiscard]] QRectF compassBox() const;
    [[nodiscard]] QTransform viewTransform() const;
    [[nodiscard]] QTransform transform() const;
    [[nodiscard]] double turnDegrees() const;
    [[nodiscard]] bool mirrorForNorth() const;
    void drawLoupe(QPainter& painter) const;
    void drawCompass(QPainter& painter) const;

    std::shared_ptr<const Picture> picture_;
    std::map<Layer, std::unique_ptr<SkyLayer>> layers_;
    std::set<Layer> notShown_;
    std::optional<Ring> ring_;
    std::optional<frame::Wcs> viewWcs_;
    QTransform own_; ///< from the picture's pixels to those of the view
    bool handMode_ = false;
    bool circleMode_ = false;
    std::optional<DiscMark> circle_; ///< that is being drawn
    bool dragsStars_ = false;        ///< the drag that is going on belongs to the fit by hand
    QString emptyText_;
    double zoom_ = 0.0; ///< screen pixels per pixel of the view; 0: not yet fitted
    QPointF centre_;    ///< of the view's pixels
    bool northUp_ = true;
    bool marksHidden_ = false;
    Look told_;          ///< by looked()
    bool fitted_ = true; ///< zoom follows the window's size and what there is to see
    QRectF fittedTo_;    ///< in the view's pixels
    QImage screen_;      ///< what was drawn of the picture last
    QTimer settling_;    ///< runs while the picture moves
    std::optional<QPointF> dragFrom_;
    std::optional<QPointF> pressed_; ///< where a click may have begun
    std::optional<QPointF> cursor_;
};

} // namespace pathmark::desk
