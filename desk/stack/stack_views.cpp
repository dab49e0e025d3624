#include "desk/stack/stack_views.h"

#include "desk/theme/theme.h"

#include <QPainter>

#include <algorithm>

namespace pathmark::desk {
namespace {

constexpr double kGap = 6.0;
constexpr double kHeight = 196.0;    ///< with text of normal size
constexpr double kLargeShare = 0.48; ///< of the width
constexpr double kShownShare = 0.62; ///< of the view's side: its middle, large

/// Three squares in a row: a large one, and two beside it.
struct Places {
    double caption;
    QRectF all;
    QRectF first;
    QRectF second;

    explicit Places(const QSizeF& size) : caption(scaled(16)) {
        const double large =
            std::min(size.height() - caption, kLargeShare * (size.width() - 2.0 * kGap));
        const double half = std::min(large, 0.5 * (size.width() - large) - kGap);
        all = {0.0, caption, large, large};
        first = {all.right() + kGap, caption, half, half};
        second = {first.right() + kGap, caption, half, half};
    }
};

} // namespace

StackViews::StackViews(QWidget* parent) : QWidget(parent) {
    setObjectName("stackViews");
    setAccessibleName(tr("Stack at the motion in hand"));
    setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Fixed);
    setToolTip(tr("The frames added at the motion in hand, north up. The halves in time show the "
                  "body in one place where the motion is true."));
}

QSize StackViews::sizeHint() const {
    return {200, static_cast<int>(scaled(kHeight))};
}

void StackViews::setViews(std::shared_ptr<const MotionViews> views,
                          frame::PixelPos place,
                          double ring) {
    views_ = std::move(views);
    place_ = place;
    ring_ = ring;
    update();
}

void StackViews::drawView(QPainter& painter, const QRectF& place, std::size_t which) const {
    const QImage& picture = views_->pictures[which];
    const double side = kShownShare * picture.width();
    const double left = 0.5 * (picture.width() - side);
    painter.save();
    painter.setClipRect(place);
    painter.setRenderHint(QPainter::SmoothPixmapTransform);
    painter.drawImage(place, picture, QRectF(left, left, side, side));
    dimPicture(painter, place);
    const double zoom = place.width() / side;
    const QPointF body(place.left() + (place_.x + 0.5 - left) * zoom,
                       place.bottom() - (place_.y + 0.5 - left) * zoom);
    painter.setBrush(Qt::NoBrush);
    painter.setPen(QPen(skyColours().inHand, 1.5));
    painter.drawEllipse(body, ring_ * zoom, ring_ * zoom);
    painter.restore();
}

void StackViews::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.fillRect(rect(), colours().ground);
    if (views_ == nullptr) {
        return;
    }
    const Places places(size());
    painter.setPen(colours().quiet);
    const auto caption = [&](const QRectF& below, const QString& words) {
        painter.drawText(
            QRectF(below.left(), below.top() - places.caption, below.width(), places.caption),
            Qt::AlignLeft | Qt::AlignVCenter,
            words);
    };
    caption(places.all, tr("all frames"));
    caption(places.first, tr("first half"));
    caption(places.second, tr("second half"));
    drawView(painter, places.all, 0);
    drawView(painter, places.first, 1);
    drawView(painter, places.second, 2);
}

} // namespace pathmark::desk
