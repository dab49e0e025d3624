#include "desk/facts/earth_map.h"

#include "core/night/data_files.h"
#include "desk/theme/theme.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QWheelEvent>

#include <algorithm>
#include <cmath>

namespace pathmark::desk {
namespace {

constexpr double kNearest = 60.0;   ///< times nearer than the whole Earth
constexpr double kStepPixels = 4.0; ///< of an arrow key
constexpr int kGridDegrees = 30;

} // namespace

EarthMap::EarthMap(QWidget* parent)
    : QWidget(parent), coasts_(night::readCoastlines(night::dataFile("coastlines.txt"))
                                   .value_or(std::vector<std::vector<night::EarthPoint>>())) {
    setObjectName("earthMap");
    setAccessibleName(tr("Map of the Earth"));
    setToolTip(tr("Click where the telescope stands, or use the arrow keys; the wheel, + and - "
                  "bring the map nearer."));
    setFocusPolicy(Qt::StrongFocus);
    setFixedHeight(static_cast<int>(scaled(210.0)));
}

void EarthMap::setPlace(const std::optional<night::EarthPoint>& place) {
    place_ = place;
    update();
}

double EarthMap::pixelsPerDegree() const {
    return zoom_ * std::max(width() / 360.0, height() / 180.0);
}

QPointF EarthMap::pointOf(const night::EarthPoint& place) const {
    const double scale = pixelsPerDegree();
    return {0.5 * width() + scale * std::remainder(place.longitude - middle_.longitude, 360.0),
            0.5 * height() - scale * (place.latitude - middle_.latitude)};
}

night::EarthPoint EarthMap::placeAt(const QPointF& point) const {
    const double scale = pixelsPerDegree();
    return {std::remainder(middle_.longitude + (point.x() - 0.5 * width()) / scale, 360.0),
            std::clamp(middle_.latitude - (point.y() - 0.5 * height()) / scale, -90.0, 90.0)};
}

/// The map fills its room.
void EarthMap::keepInside() {
    const double most = std::max(0.0, 90.0 - 0.5 * height() / pixelsPerDegree());
    middle_.latitude = std::clamp(middle_.latitude, -most, most);
    middle_.longitude = std::remainder(middle_.longitude, 360.0);
}

void EarthMap::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    const Colours& c = colours();
    painter.fillRect(rect(), c.ground);
    painter.setPen(QPen(c.line, 1.0, Qt::DotLine));
    for (int degrees = -180; degrees < 180; degrees += kGridDegrees) {
        const double x = pointOf({static_cast<double>(degrees), 0.0}).x();
        painter.drawLine(QPointF(x, 0.0), QPointF(x, height()));
        const double y = pointOf({0.0, static_cast<double>(degrees)}).y();
        painter.drawLine(QPointF(0.0, y), QPointF(width(), y));
    }
    painter.setPen(QPen(c.quiet, 1.0));
    for (const auto& coast : coasts_) {
        for (std::size_t i = 1; i < coast.size(); ++i) {
            const QPointF from = pointOf(coast[i - 1]);
            const QPointF to = pointOf(coast[i]);
            // A line that would run around the whole Earth crosses the map's edge.
            if (std::abs(from.x() - to.x()) < 180.0 * pixelsPerDegree()) {
                painter.drawLine(from, to);
            }
        }
    }
    if (place_) {
        const QPointF at = pointOf(*place_);
        painter.setPen(QPen(c.agreed, 2.0));
        for (const QPointF& way : {QPointF(1, 0), QPointF(-1, 0), QPointF(0, 1), QPointF(0, -1)}) {
            painter.drawLine(at + 4.0 * way, at + 12.0 * way);
        }
    }
    if (hasFocus()) {
        painter.setPen(QPen(c.quiet, 1.0));
        painter.drawRect(rect().adjusted(0, 0, -1, -1));
    }
}

void EarthMap::mousePressEvent(QMouseEvent* event) {
    if (event->button() == Qt::LeftButton) {
        place_ = placeAt(event->position());
        update();
        emit chosen(place_->longitude, place_->latitude);
    }
}

void EarthMap::wheelEvent(QWheelEvent* event) {
    const night::EarthPoint under = placeAt(event->position());
    zoom_ = std::clamp(zoom_ * std::pow(1.25, event->angleDelta().y() / 120.0), 1.0, kNearest);
    // What is under the mouse stays there.
    const night::EarthPoint now = placeAt(event->position());
    middle_.longitude += std::remainder(under.longitude - now.longitude, 360.0);
    middle_.latitude += under.latitude - now.latitude;
    keepInside();
    update();
    event->accept();
}

void EarthMap::keyPressEvent(QKeyEvent* event) {
    const double step = kStepPixels / pixelsPerDegree();
    night::EarthPoint place = place_.value_or(middle_);
    switch (event->key()) {
    case Qt::Key_Left: place.longitude -= step; break;
    case Qt::Key_Right: place.longitude += step; break;
    case Qt::Key_Up: place.latitude = std::min(90.0, place.latitude + step); break;
    case Qt::Key_Down: place.latitude = std::max(-90.0, place.latitude - step); break;
    case Qt::Key_Plus:
    case Qt::Key_Equal:
    case Qt::Key_Minus:
        zoom_ = std::clamp(zoom_ * (event->key() == Qt::Key_Minus ? 0.8 : 1.25), 1.0, kNearest);
        middle_ = place;
        keepInside();
        update();
        return;
    default: QWidget::keyPressEvent(event); return;
    }
    place.longitude = std::remainder(place.longitude, 360.0);
    place_ = place;
    update();
    emit chosen(place.longitude, place.latitude);
}

} // namespace pathmark::desk
