#include "desk/sky/sky_view.h"

#include "core/base/sexagesimal.h"
#include "desk/theme/theme.h"

#include <QMouseEvent>
#include <QPainter>
#include <QWheelEvent>

#include <cmath>

namespace pathmark::desk {

SkyView::SkyView(QWidget* parent) : QWidget(parent) {
    setObjectName("sky");
    setMouseTracking(true);
    setMinimumSize(320, 240);
    setCursor(Qt::CrossCursor);
    setToolTip({});
}

void SkyView::setPicture(std::shared_ptr<const Picture> picture) {
    const bool other = !picture_ || !picture ||
                       picture_->values.width() != picture->values.width() ||
                       picture_->values.height() != picture->values.height();
    picture_ = std::move(picture);
    if (other || zoom_ == 0.0) {
        fitAll();
    }
    if (cursor_) {
        emit cursorText(describe(*cursor_));
    }
    emit pictureShown();
    update();
}

void SkyView::setMarks(std::vector<PathMark> marks) {
    marks_ = std::move(marks);
    update();
}

void SkyView::setStarMarks(std::vector<StarMark> marks) {
    starMarks_ = std::move(marks);
    update();
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
    return northUp_ && picture_ && picture_->wcs && picture_->wcs->mirrored();
}

double SkyView::turnDegrees() const {
    if (!northUp_ || !picture_ || !picture_->wcs) {
        return 0.0;
    }
    // +y points to this angle from north over east, which is to the left on the screen.
    // A mirrored picture is turned over first, so the same turn serves it.
    return -picture_->wcs->rotation().degrees();
}

QTransform SkyView::transform() const {
    QTransform t;
    t.translate(0.5 * width(), 0.5 * height());
    t.rotate(turnDegrees());
    // Rows count upwards on the screen.
    t.scale(mirrorForNorth() ? -zoom_ : zoom_, -zoom_);
    t.translate(-centre_.x, -centre_.y);
    return t;
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
    centre_ = {0.5 * (picture_->values.width() - 1), 0.5 * (picture_->values.height() - 1)};
    const double turn = turnDegrees() * kRadiansPerDegree;
    const double w = std::abs(picture_->values.width() * std::cos(turn)) +
                     std::abs(picture_->values.height() * std::sin(turn));
    const double h = std::abs(picture_->values.width() * std::sin(turn)) +
                     std::abs(picture_->values.height() * std::cos(turn));
    zoom_ = std::min(width() / w, height() / h);
    update();
}

void SkyView::zoomBy(double factor, const QPointF& about) {
    const frame::PixelPos fixed = toPixel(about);
    zoom_ = std::clamp(zoom_ * factor, 0.02, 40.0);
    fitted_ = false;
    // Keep the place under the cursor where it is.
    const frame::PixelPos moved = toPixel(about);
    centre_.x += fixed.x - moved.x;
    centre_.y += fixed.y - moved.y;
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
    centre_ = pixel;
    fitted_ = false;
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
                                      : QString("no value"));
    if (picture_->wcs) {
        const SkyPos sky = picture_->wcs->toSky(pixel);
        text += QString("   RA %1  Dec %2")
                    .arg(QString::fromStdString(toHours(sky.longitude, 2)),
                         QString::fromStdString(toDegrees(sky.latitude, 1)));
    }
    return text;
}

/// The picture in the size that is nearest above the one it is seen in.
void SkyView::drawPicture(QPainter& painter) const {
    const QImage* image = &picture_->display;
    int scale = 1;
    for (const QImage& smaller : picture_->reduced) {
        if (2.0 * scale * zoom_ > 1.0) {
            break;
        }
        image = &smaller;
        scale *= 2;
    }
    // Of an odd height the last pixel reaches half a pixel beyond the frame, at the top.
    const QRectF place(0.0,
                       static_cast<double>(picture_->display.height() - scale * image->height()),
                       static_cast<double>(scale * image->width()),
                       static_cast<double>(scale * image->height()));
    painter.drawImage(place, *image);
    dimPicture(painter, place);
}

void SkyView::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    const Colours& c = colours();
    painter.fillRect(rect(), c.ground);
    if (!picture_) {
        painter.setPen(c.quiet);
        painter.drawText(
            rect().adjusted(40, 40, -40, -40), Qt::AlignCenter | Qt::TextWordWrap, emptyText_);
        return;
    }
    painter.save();
    // The display picture has its last row first: turn it back before the view's own transform.
    QTransform flip;
    flip.translate(-0.5, picture_->values.height() - 0.5);
    flip.scale(1.0, -1.0);
    painter.setTransform(flip * transform());
    painter.setRenderHint(QPainter::SmoothPixmapTransform, zoom_ < 1.0);
    drawPicture(painter);
    painter.restore();
    painter.setRenderHint(QPainter::Antialiasing);
    if (!marksHidden_) {
        // Room for the light of a star: its disc grows with the zoom.
        drawStarMarks(
            painter,
            starMarks_,
            [this](frame::PixelPos p) { return toWidget(p); },
            rect(),
            std::clamp(3.4 * zoom_, 3.5, 30.0));
        for (const PathMark& mark : marks_) {
            drawPathMark(painter, mark, [this](frame::PixelPos p) { return toWidget(p); });
        }
    }
    drawCompass(painter);
    drawLoupe(painter);
    painter.setPen(c.text);
    const QRectF label(8, 6, 12 + painter.fontMetrics().horizontalAdvance(picture_->title), 20);
    painter.fillRect(label, QColor(c.ground.red(), c.ground.green(), c.ground.blue(), 190));
    painter.drawText(label, Qt::AlignCenter, picture_->title);
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
    painter.setPen(QPen(colours().text, 1.2));
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
    painter.fillRect(box, colours().ground);
    painter.translate(box.center());
    painter.rotate(turnDegrees());
    painter.scale(mirrorForNorth() ? -power : power, -power);
    painter.translate(-at.x, -at.y);
    QTransform flip;
    flip.translate(-0.5, picture_->values.height() - 0.5);
    flip.scale(1.0, -1.0);
    painter.setTransform(flip, true);
    painter.setRenderHint(QPainter::SmoothPixmapTransform, false);
    painter.drawImage(0, 0, picture_->display);
    dimPicture(painter, picture_->display.rect());
    painter.restore();
    painter.setPen(QPen(colours().line, 1.0));
    painter.drawRect(box);
    painter.setPen(QPen(colours().quiet, 1.0));
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

void SkyView::mousePressEvent(QMouseEvent* event) {
    if (event->button() == Qt::LeftButton || handMode_) {
        dragFrom_ = event->position();
        dragsStars_ = handMode_ && event->button() == Qt::LeftButton;
    }
}

void SkyView::mouseMoveEvent(QMouseEvent* event) {
    cursor_ = event->position();
    if (dragFrom_ && picture_) {
        const frame::PixelPos from = toPixel(*dragFrom_);
        const frame::PixelPos to = toPixel(event->position());
        dragFrom_ = event->position();
        if (dragsStars_) {
            emit handDragged(from, to);
        } else {
            centre_.x += from.x - to.x;
            centre_.y += from.y - to.y;
            fitted_ = false;
        }
    }
    emit cursorText(describe(*cursor_));
    update();
}

void SkyView::mouseReleaseEvent(QMouseEvent*) {
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
}

} // namespace pathmark::desk
