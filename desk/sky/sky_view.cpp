#include "desk/sky/sky_view.h"

#include "core/base/sexagesimal.h"
#include "desk/sky/picture_raster.h"
#include "desk/theme/theme.h"

#include <QLineF>
#include <QMouseEvent>
#include <QPainter>
#include <QWheelEvent>

#include <algorithm>
#include <cmath>
#include <utility>

namespace pathmark::desk {
namespace {

/// How much larger than the whole a turned frame may be shown.
constexpr double kCutCorners = 1.18;

/// While the picture moves it is drawn quickly; when it has stood this long, smoothly.
constexpr int kSettleMilliseconds = 120;
constexpr double kMostMovingPixels = 5e6;

} // namespace

SkyView::SkyView(QWidget* parent) : QWidget(parent) {
    setObjectName("sky");
    setAccessibleName(tr("Sky"));
    setMouseTracking(true);
    setAttribute(Qt::WA_OpaquePaintEvent); // all of it is drawn
    setMinimumSize(320, 240);
    setCursor(Qt::CrossCursor);
    settling_.setSingleShot(true);
    settling_.setInterval(kSettleMilliseconds);
    connect(&settling_, &QTimer::timeout, this, [this] { update(); });
}

namespace {

bool isSameView(const Picture& a, const Picture& b) {
    if (a.grid.has_value() != b.grid.has_value()) {
        return false;
    }
    if (a.grid) {
        return a.grid->width == b.grid->width && a.grid->height == b.grid->height &&
               separation(a.grid->wcs.referenceSky, b.grid->wcs.referenceSky).arcsec() < 1e-3;
    }
    return a.values.width() == b.values.width() && a.values.height() == b.values.height();
}

} // namespace

void SkyView::setPicture(std::shared_ptr<const Picture> picture) {
    const bool other = !picture_ || !picture || !isSameView(*picture_, *picture);
    picture_ = std::move(picture);
    viewWcs_ = !picture_        ? std::nullopt
               : picture_->grid ? std::optional(picture_->grid->wcs)
                                : picture_->wcs;
    if (other || zoom_ == 0.0 || (fitted_ && worthSeeing() != fittedTo_)) {
        fitAll();
    }
    placePicture();
    placeRing();
    if (cursor_) {
        emit cursorText(describe(*cursor_));
    }
    emit pictureShown();
    update();
}

/// Lays the picture on the view: exactly in the middle of what is seen, and by the best turn, scale and shear around it.
void SkyView::placePicture() {
    own_ = QTransform();
    if (!picture_ || !picture_->grid || !picture_->wcs) {
        return;
    }
    const double reach = std::clamp(0.4 * std::max(width(), height()) / std::max(zoom_, 1e-6),
                                    8.0,
                                    0.4 * std::min(viewSize().width(), viewSize().height()));
    const auto ownOf = [&](double dx, double dy) {
        return picture_->wcs->toPixel(
            picture_->grid->wcs.toSky({centre_.x() + dx, centre_.y() + dy}));
    };
    const auto middle = ownOf(0.0, 0.0);
    const auto right = ownOf(reach, 0.0);
    const auto left = ownOf(-reach, 0.0);
    const auto up = ownOf(0.0, reach);
    const auto down = ownOf(0.0, -reach);
    if (!middle || !right || !left || !up || !down) {
        return;
    }
    const double m11 = (right->x - left->x) / (2.0 * reach);
    const double m12 = (right->y - left->y) / (2.0 * reach);
    const double m21 = (up->x - down->x) / (2.0 * reach);
    const double m22 = (up->y - down->y) / (2.0 * reach);
    QTransform toOwn(m11,
                     m12,
                     m21,
                     m22,
                     middle->x - m11 * centre_.x() - m21 * centre_.y(),
                     middle->y - m12 * centre_.x() - m22 * centre_.y());
    if (toOwn.isInvertible()) {
        own_ = toOwn.inverted();
    }
}

/// Where a picture lies on the view, in the view's pixels, where that is a small part of it, a body's stack; else the whole view.
QRectF SkyView::worthSeeing() const {
    constexpr double smallPart = 0.25;
    if (!picture_) {
        return {};
    }
    const QSize size = viewSize();
    const QRectF whole(-0.5, -0.5, size.width(), size.height());
    if (!picture_->grid || !picture_->wcs) {
        return whole;
    }
    const double right = picture_->values.width() - 0.5;
    const double top = picture_->values.height() - 0.5;
    QPolygonF corners;
    for (const frame::PixelPos corner : {frame::PixelPos{-0.5, -0.5},
                                         frame::PixelPos{right, -0.5},
                                         frame::PixelPos{right, top},
                                         frame::PixelPos{-0.5, top}}) {
        const auto p = picture_->grid->wcs.toPixel(picture_->wcs->toSky(corner));
        if (!p) {
            return whole;
        }
        corners << QPointF(p->x, p->y);
    }
    const QRectF box = corners.boundingRect();
    return box.width() * box.height() < smallPart * whole.width() * whole.height() ? box : whole;
}

QSize SkyView::viewSize() const {
    return picture_->grid ? QSize(picture_->grid->width, picture_->grid->height)
                          : QSize(picture_->values.width(), picture_->values.height());
}

void SkyView::setLayer(Layer layer, std::unique_ptr<SkyLayer> content) {
    layers_[layer] = std::move(content);
    update();
}

void SkyView::setMarks(std::vector<PathMark> marks) {
    setLayer(Layer::Paths, std::make_unique<PathLayer>(std::move(marks)));
}

void SkyView::setStarMarks(std::vector<StarMark> marks) {
    setLayer(Layer::Stars, std::make_unique<StarLayer>(std::move(marks)));
}

void SkyView::setCurveMarks(std::vector<StarMark> marks) {
    setLayer(Layer::Curves, std::make_unique<StarLayer>(std::move(marks)));
}

void SkyView::setLook(const Look& look) {
    if (look == this->look() || look.zoom <= 0.0) {
        return;
    }
    zoom_ = look.zoom;
    centre_ = look.centre;
    northUp_ = look.northUp;
    fitted_ = false;
    told_ = look; // it need not be told back
    placePicture();
    update();
}

void SkyView::setRing(const std::optional<Ring>& ring) {
    ring_ = ring;
    placeRing();
}

void SkyView::placeRing() {
    std::vector<DiscMark> marks;
    if (ring_ && picture_ && picture_->wcs) {
        if (const auto pixel = picture_->wcs->toPixel(ring_->place)) {
            marks.push_back({*pixel, ring_->arcsec / picture_->wcs->scaleArcsec(), true});
        }
    }
    setLayer(Layer::Ring, std::make_unique<DiscLayer>(std::move(marks)));
}

void SkyView::setDiscs(std::vector<DiscMark> marks) {
    setLayer(Layer::Discs, std::make_unique<DiscLayer>(std::move(marks)));
}

void SkyView::setLayerShown(Layer layer, bool shown) {
    if (shown) {
        notShown_.erase(layer);
    } else {
        notShown_.insert(layer);
    }
    update();
}

bool SkyView::isLayerShown(Layer layer) const {
    return !notShown_.contains(layer);
}

void SkyView::setHandMode(bool on) {
    handMode_ = on;
    setCursor(on ? Qt::SizeAllCursor : Qt::CrossCursor);
    update();
}

void SkyView::setEmptyText(const QString& text) {
    emptyText_ = text;
    update();
}

void SkyView::setMarksHidden(bool hidden) {
    marksHidden_ = hidden;
    update();
}

bool SkyView::mirrorForNorth() const {
    return northUp_ && viewWcs_ && viewWcs_->mirrored();
}

double SkyView::turnDegrees() const {
    if (!northUp_ || !viewWcs_) {
        return 0.0;
    }
    // +y points to this angle from north over east, which is to the left on the screen.
    // A mirrored picture is turned over first, so the same turn serves it.
    return -viewWcs_->rotation().degrees();
}

QTransform SkyView::viewTransform() const {
    QTransform t;
    t.translate(0.5 * width(), 0.5 * height());
    t.rotate(turnDegrees());
    // Rows count upwards on the screen.
    t.scale(mirrorForNorth() ? -zoom_ : zoom_, -zoom_);
    t.translate(-centre_.x(), -centre_.y());
    return t;
}

QTransform SkyView::transform() const {
    return own_ * viewTransform();
}

QPointF SkyView::toWidget(frame::PixelPos pixel) const {
    return transform().map(QPointF(pixel.x, pixel.y));
}

frame::PixelPos SkyView::toPixel(const QPointF& point) const {
    const QPointF p = transform().inverted().map(point);
    return {p.x(), p.y()};
}

void SkyView::fitAll() {
    fitted_ = true;
    if (!picture_ || picture_->values.empty()) {
        return;
    }
    fittedTo_ = worthSeeing();
    centre_ = fittedTo_.center();
    const double turn = turnDegrees() * kRadiansPerDegree;
    const double w = std::abs(fittedTo_.width() * std::cos(turn)) +
                     std::abs(fittedTo_.height() * std::sin(turn));
    const double h = std::abs(fittedTo_.width() * std::sin(turn)) +
                     std::abs(fittedTo_.height() * std::cos(turn));
    zoom_ = std::min(width() / w, height() / h);
    // A turned frame would stand in wide dark margins: its corners may be cut a little, its middle is what is looked at.
    const double filled = std::max(width() / w, height() / h);
    const bool isTurned = std::abs(std::sin(2.0 * turn)) > 0.05;
    zoom_ = isTurned ? std::min(filled, kCutCorners * zoom_) : zoom_;
    placePicture();
    update();
}

void SkyView::zoomBy(double factor, const QPointF& about) {
    const QPointF fixed = viewTransform().inverted().map(about);
    zoom_ = std::clamp(zoom_ * factor, 0.02, 40.0);
    fitted_ = false;
    settling_.start();
    // Keep the place under the cursor where it is.
    centre_ += fixed - viewTransform().inverted().map(about);
    placePicture();
    update();
}

void SkyView::toggleNorthUp() {
    northUp_ = !northUp_;
    if (fitted_) {
        fitAll();
    }
    update();
}

void SkyView::centreOn(frame::PixelPos pixel) {
    centre_ = own_.map(QPointF(pixel.x, pixel.y));
    fitted_ = false;
    placePicture();
    update();
}

QString SkyView::describe(const QPointF& point) const {
    if (!picture_) {
        return {};
    }
    const frame::PixelPos pixel = toPixel(point);
    const int x = static_cast<int>(std::lround(pixel.x));
    const int y = static_cast<int>(std::lround(pixel.y));
    if (!picture_->values.contains(x, y)) {
        return {};
    }
    const frame::PixelPos shown = frame::toFits(pixel);
    const float value = picture_->values.at(x, y);
    QString text =
        QString("x %1  y %2   %3")
            .arg(shown.x, 0, 'f', 1)
            .arg(shown.y, 0, 'f', 1)
            .arg(std::isfinite(value) ? QString("%1 e⁻").arg(static_cast<double>(value), 0, 'f', 1)
                                      : tr("no value"));
    if (picture_->wcs) {
        const SkyPos sky = picture_->wcs->toSky(pixel);
        text += tr("   RA %1  Dec %2")
                    .arg(QString::fromStdString(toHours(sky.longitude, 2)),
                         QString::fromStdString(toDegrees(sky.latitude, 1)));
    }
    return text;
}

/// The picture in the size that is nearest above the one it is seen in, and how much smaller than the whole that is.
std::pair<const QImage*, int> SkyView::imageAt(double zoom) const {
    const QImage* image = &picture_->display;
    int scale = 1;
    for (const QImage& smaller : picture_->reduced) {
        if (2.0 * scale * zoom > 1.0) {
            break;
        }
        image = &smaller;
        scale *= 2;
    }
    return {image, scale};
}

void SkyView::drawPicture(QPainter& painter) {
    const auto [image, scale] = imageAt(zoom_);
    const bool isMoving = settling_.isActive();
    double ratio = devicePixelRatioF();
    if (isMoving && width() * height() * ratio * ratio > kMostMovingPixels) {
        ratio *= 0.5; // of a screen of 8 megapixels every other pixel, as long as it moves
    }
    const QSize pixels = (QSizeF(size()) * ratio).toSize();
    if (screen_.size() != pixels) {
        screen_ = QImage(pixels, QImage::Format_RGB32);
        screen_.setDevicePixelRatio(ratio);
    }
    // The picture's own pixels have their centres on whole numbers and count upwards; an image's have their first corner at zero and
    // count downwards. Of an odd height the last pixel of a smaller one reaches half a pixel beyond the frame, at the top.
    QTransform toImage = QTransform::fromScale(1.0 / ratio, 1.0 / ratio) * transform().inverted();
    toImage *= QTransform(1.0, 0.0, 0.0, -1.0, 0.5, scale * image->height() - 0.5);
    toImage *= QTransform::fromScale(1.0 / scale, 1.0 / scale);
    RasterLook look;
    look.ground = skyColours().ground.rgb();
    look.tint = pictureTint().rgb();
    look.isSmooth = zoom_ < 1.0 && !isMoving;
    rasterPicture(screen_, *image, toImage, look);
    painter.drawImage(0, 0, screen_);
}

void SkyView::paintEvent(QPaintEvent*) {
    if (look() != told_) {
        told_ = look();
        emit looked();
    }
    QPainter painter(this);
    const Colours& c = skyColours(); // the sky is dark in every light
    if (!picture_) {
        painter.fillRect(rect(), c.ground);
        painter.setPen(c.quiet);
        painter.drawText(
            rect().adjusted(40, 40, -40, -40), Qt::AlignCenter | Qt::TextWordWrap, emptyText_);
        return;
    }
    drawPicture(painter);
    painter.setRenderHint(QPainter::Antialiasing);
    if (!marksHidden_ && picture_->hasMarks) {
        drawLayers(painter);
    }
    drawCompass(painter);
    drawLoupe(painter);
    painter.setPen(c.text);
    const QRectF label(
        8, 6, 12 + painter.fontMetrics().horizontalAdvance(picture_->title), scaled(20));
    painter.fillRect(label, QColor(c.ground.red(), c.ground.green(), c.ground.blue(), 190));
    painter.drawText(label, Qt::AlignCenter, picture_->title);
}

void SkyView::drawLayers(QPainter& painter) const {
    SkyPlaces places;
    const QTransform toScreen = transform();
    places.ofPixel = [toScreen](frame::PixelPos p) { return toScreen.map(QPointF(p.x, p.y)); };
    places.ofSky = [this, toScreen](SkyPos sky) -> std::optional<QPointF> {
        const auto pixel = picture_->wcs ? picture_->wcs->toPixel(sky) : std::nullopt;
        return pixel ? std::optional(toScreen.map(QPointF(pixel->x, pixel->y))) : std::nullopt;
    };
    places.seen = rect();
    places.zoom = zoom_;
    LabelGround ground(places.seen, [this](const QRectF& box) { return brightest(box); });
    ground.keepFree(compassBox());
    for (const auto& [layer, content] : layers_) {
        if (content && isLayerShown(layer)) {
            content->draw(painter, places, ground);
        }
    }
    if (circle_) {
        DiscLayer({*circle_}).draw(painter, places, ground);
    }
}

/// The brightest of what was drawn of the picture inside a box, 0 to 1.
double SkyView::brightest(const QRectF& box) const {
    constexpr int step = 2; // screen pixels: smaller lights are covered without loss
    const double ratio = screen_.devicePixelRatio();
    const QRect pixels =
        QRectF(box.topLeft() * ratio, box.size() * ratio).toRect().intersected(screen_.rect());
    int most = 0;
    for (int y = pixels.top(); y <= pixels.bottom(); y += step) {
        const auto* row = reinterpret_cast<const QRgb*>(screen_.constScanLine(y)); // NOLINT
        for (int x = pixels.left(); x <= pixels.right(); x += step) {
            most = std::max(most, qRed(row[x])); // of every tint the red is the brightest
        }
    }
    return most / 255.0;
}

QRectF SkyView::compassBox() const {
    return {width() - 84.0, height() - 84.0, 80.0, 80.0};
}

void SkyView::drawCompass(QPainter& painter) const {
    if (!picture_->wcs) {
        return;
    }
    // North and east as they lie on the screen, from the solution itself.
    const frame::PixelPos middle = toPixel(QPointF(width() - 44.0, height() - 44.0));
    const SkyPos sky = picture_->wcs->toSky(middle);
    const auto arm = [&](PlanePos towards, const QString& name) {
        const auto tip = picture_->wcs->toPixel(fromTangentPlane(sky, towards));
        if (!tip) {
            return;
        }
        const QPointF from(width() - 44.0, height() - 44.0);
        const QPointF raw = toWidget(*tip) - from;
        const double length = std::hypot(raw.x(), raw.y());
        const QPointF to = from + raw / std::max(length, 1e-9) * 24.0;
        painter.drawLine(from, to);
        painter.drawText(
            QRectF(to.x() - 8 + raw.x() / length * 9, to.y() - 8 + raw.y() / length * 9, 16, 16),
            Qt::AlignCenter,
            name);
    };
    painter.setPen(QPen(skyColours().text, 1.2));
    const double step = Angle::arcsec(20.0).radians();
    arm({0.0, step}, "N");
    arm({step, 0.0}, "E");
}

void SkyView::drawLoupe(QPainter& painter) const {
    if (!cursor_ || dragFrom_) {
        return;
    }
    constexpr int side = 132;
    constexpr double power = 6.0;
    // In the corner away from the cursor.
    const bool right = cursor_->x() < 0.5 * width();
    const QRectF box(right ? width() - side - 10 : 10, 30, side, side);
    const frame::PixelPos at = toPixel(*cursor_);
    painter.save();
    painter.setClipRect(box);
    painter.fillRect(box, skyColours().ground);
    painter.translate(box.center());
    painter.rotate(turnDegrees());
    painter.scale(mirrorForNorth() ? -power : power, -power);
    const QPointF middle = own_.map(QPointF(at.x, at.y));
    painter.translate(-middle.x(), -middle.y());
    painter.setTransform(own_, true);
    QTransform flip;
    flip.translate(-0.5, picture_->values.height() - 0.5);
    flip.scale(1.0, -1.0);
    painter.setTransform(flip, true);
    painter.setRenderHint(QPainter::SmoothPixmapTransform, false);
    painter.drawImage(0, 0, picture_->display);
    dimPicture(painter, picture_->display.rect());
    painter.restore();
    painter.setPen(QPen(skyColours().line, 1.0));
    painter.drawRect(box);
    painter.setPen(QPen(skyColours().quiet, 1.0));
    const QPointF m = box.center();
    painter.drawLine(m + QPointF(0, 10), m + QPointF(0, 18));
    painter.drawLine(m - QPointF(0, 10), m - QPointF(0, 18));
    painter.drawLine(m + QPointF(10, 0), m + QPointF(18, 0));
    painter.drawLine(m - QPointF(10, 0), m - QPointF(18, 0));
}

void SkyView::wheelEvent(QWheelEvent* event) {
    if (picture_ && handMode_) {
        // Held modifiers may turn the wheel's axis.
        const QPoint turn = event->angleDelta();
        emit handWheel((turn.y() != 0 ? turn.y() : turn.x()) / 120.0,
                       toPixel(event->position()),
                       event->modifiers());
    } else if (picture_) {
        zoomBy(std::pow(1.0015, event->angleDelta().y()), event->position());
    }
    event->accept();
}

void SkyView::setCircleMode(bool on) {
    circleMode_ = on;
    circle_.reset();
    update();
}

void SkyView::mousePressEvent(QMouseEvent* event) {
    if (circleMode_ && picture_ && event->button() == Qt::LeftButton) {
        circle_ = DiscMark{toPixel(event->position()), 0.0, true};
        return;
    }
    if (event->button() == Qt::LeftButton && !handMode_) {
        pressed_ = event->position();
    }
    if (event->button() == Qt::LeftButton || handMode_) {
        dragFrom_ = event->position();
        dragsStars_ = handMode_ && event->button() == Qt::LeftButton;
    }
}

void SkyView::mouseMoveEvent(QMouseEvent* event) {
    cursor_ = event->position();
    if (circle_) {
        const frame::PixelPos rim = toPixel(event->position());
        circle_->radius = std::hypot(rim.x - circle_->centre.x, rim.y - circle_->centre.y);
    } else if (dragFrom_ && picture_) {
        const QPointF start = std::exchange(*dragFrom_, event->position());
        if (dragsStars_) {
            emit handDragged(toPixel(start), toPixel(event->position()));
        } else {
            const QTransform toView = viewTransform().inverted();
            centre_ += toView.map(start) - toView.map(event->position());
            fitted_ = false;
            settling_.start();
            placePicture();
        }
    }
    emit cursorText(describe(*cursor_));
    if (picture_ && picture_->wcs && !dragFrom_) {
        emit cursorOver(picture_->wcs->toSky(toPixel(*cursor_)));
    }
    update();
}

void SkyView::mouseReleaseEvent(QMouseEvent* event) {
    constexpr double still = 4.0; // of the screen's pixels: a hand trembles
    if (const auto pressed = std::exchange(pressed_, std::nullopt);
        pressed && picture_ && picture_->wcs &&
        QLineF(*pressed, event->position()).length() < still) {
        const frame::PixelPos pixel = toPixel(*pressed);
        if (picture_->values.contains(static_cast<int>(std::lround(pixel.x)),
                                      static_cast<int>(std::lround(pixel.y)))) {
            emit placeClicked(picture_->wcs->toSky(pixel));
        }
    }
    if (const auto circle = std::exchange(circle_, std::nullopt)) {
        // A click is no circle.
        if (QLineF(toWidget(circle->centre), event->position()).length() > still) {
            emit circleDrawn(circle->centre, circle->radius);
        }
    }
    dragFrom_.reset();
    dragsStars_ = false;
    update();
}

void SkyView::leaveEvent(QEvent*) {
    cursor_.reset();
    emit cursorText({});
    update();
}

void SkyView::resizeEvent(QResizeEvent*) {
    if (fitted_) {
        fitAll();
    }
    placePicture();
}

} // namespace pathmark::desk
