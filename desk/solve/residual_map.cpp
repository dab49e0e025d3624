#include "desk/solve/residual_map.h"

#include "desk/theme/theme.h"

#include <QLineF>
#include <QMouseEvent>
#include <QPainter>

#include <algorithm>
#include <cmath>

namespace pathmark::desk {
namespace {

constexpr double kTop = 2.0;
constexpr double kTypicalArrow = 16.0; ///< screen pixels of an arrow longer than nine in ten
constexpr int kCellsAcross = 10;

/// The largest of 1, 2, 5 times a power of ten that is not above a value.
double roundBelow(double value) {
    const double power = std::pow(10.0, std::floor(std::log10(value)));
    for (const double step : {5.0, 2.0}) {
        if (step * power <= value) {
            return step * power;
        }
    }
    return power;
}

QString arcsecText(double arcsec) {
    return arcsec < 0.1 ? QString("%1 mas").arg(1000.0 * arcsec, 0, 'g', 3)
                        : QString("%1″").arg(arcsec, 0, 'g', 3);
}

} // namespace

ResidualMap::ResidualMap(QWidget* parent) : QWidget(parent) {
    setObjectName("residualMap");
    setMinimumSize(200, 160);
    setToolTip(tr("Residuals on the frame as the camera saw it: from the catalogue's place to the "
                  "source found. Click a star to see it on the Sky."));
}

void ResidualMap::setStars(std::shared_ptr<const night::FrameStars> stars) {
    stars_ = std::move(stars);
    cells_.clear();
    chosen_ = -1;
    if (stars_) {
        cells_ = solve::residualCells(stars_->stars, stars_->size, kCellsAcross);
    }
    measure();
    update();
}

void ResidualMap::setMedians(bool medians) {
    medians_ = medians;
    measure();
    update();
}

void ResidualMap::setChosen(int star) {
    chosen_ = star;
    update();
}

void ResidualMap::measure() {
    magnification_ = 1.0;
    if (!stars_ || !stars_->solution) {
        return;
    }
    const double scale = stars_->solution->wcs.scaleArcsec();
    std::vector<double> lengths;
    if (medians_) {
        for (const auto& cell : cells_) {
            lengths.push_back(std::hypot(cell.dxPixels, cell.dyPixels) * scale);
        }
    } else {
        for (const auto& star : stars_->stars) {
            if (star.status == solve::MatchStatus::Used) {
                lengths.push_back(std::hypot(star.dxPixels, star.dyPixels) * scale);
            }
        }
    }
    if (lengths.empty()) {
        return;
    }
    const auto ninth = lengths.begin() +
                       static_cast<std::ptrdiff_t>(0.9 * static_cast<double>(lengths.size() - 1));
    std::nth_element(lengths.begin(), ninth, lengths.end());
    magnification_ = kTypicalArrow / std::max(*ninth, 1e-6);
}

QRectF ResidualMap::frameRect() const {
    const QRectF room(4.0, kTop, width() - 8.0, height() - kTop - scaled(26.0));
    if (!stars_) {
        return room;
    }
    const double shape = static_cast<double>(stars_->size.width) / stars_->size.height;
    const double w = std::min(room.width(), room.height() * shape);
    const double h = w / shape;
    return {room.center().x() - 0.5 * w, room.top(), w, h};
}

QPointF ResidualMap::toMap(frame::PixelPos pixel) const {
    const QRectF box = frameRect();
    return {box.left() + (pixel.x + 0.5) / stars_->size.width * box.width(),
            box.bottom() - (pixel.y + 0.5) / stars_->size.height * box.height()};
}

void ResidualMap::drawArrow(QPainter& painter, frame::PixelPos at, double dx, double dy) const {
    const double perPixel = magnification_ * stars_->solution->wcs.scaleArcsec();
    const QPointF from = toMap(at);
    // Rows count upwards on the screen.
    QPointF step(dx * perPixel, -dy * perPixel);
    const double length = std::hypot(step.x(), step.y());
    constexpr double longest = 60.0;
    if (length > longest) {
        step *= longest / length;
    }
    const QPointF to = from + step;
    painter.drawLine(from, to);
    if (length > 3.0) {
        const QPointF along = step / std::min(length, longest);
        const QPointF across(-along.y(), along.x());
        painter.drawLine(to, to - 4.0 * along + 2.2 * across);
        painter.drawLine(to, to - 4.0 * along - 2.2 * across);
    }
}

void ResidualMap::drawStars(QPainter& painter) const {
    const Colours& c = colours();
    for (std::size_t i = 0; i < stars_->stars.size(); ++i) {
        const auto& star = stars_->stars[i];
        const bool chosen = static_cast<int>(i) == chosen_;
        const QPointF p = toMap(star.pixel);
        switch (star.status) {
        case solve::MatchStatus::Used:
            painter.setPen(QPen(chosen ? c.text : c.agreed, chosen ? 2.2 : 1.1));
            drawArrow(painter, star.pixel, star.dxPixels, star.dyPixels);
            break;
        case solve::MatchStatus::Rejected:
            painter.setPen(QPen(c.disagrees, chosen ? 2.2 : 1.2));
            drawArrow(painter, star.pixel, star.dxPixels, star.dyPixels);
            painter.drawLine(p + QPointF(-2.5, -2.5), p + QPointF(2.5, 2.5));
            painter.drawLine(p + QPointF(-2.5, 2.5), p + QPointF(2.5, -2.5));
            break;
        case solve::MatchStatus::Unclear:
        case solve::MatchStatus::SourceOnly:
        case solve::MatchStatus::StarOnly: break; // no residual; the Sky marks them
        }
        if (chosen) {
            painter.setPen(QPen(c.text, 1.4));
            painter.drawLine(p + QPointF(-16, 0), p + QPointF(-8, 0));
            painter.drawLine(p + QPointF(8, 0), p + QPointF(16, 0));
        }
    }
}

void ResidualMap::drawMedians(QPainter& painter) const {
    const Colours& c = colours();
    for (const auto& cell : cells_) {
        const double length = std::hypot(cell.dxPixels, cell.dyPixels);
        // What a median of so few stars does by chance is drawn thinner.
        const bool real = length > 2.5 * cell.sigmaPixels;
        painter.setPen(QPen(real ? c.text : c.quiet, real ? 1.8 : 1.0));
        drawArrow(painter, cell.middle, cell.dxPixels, cell.dyPixels);
        painter.drawPoint(toMap(cell.middle));
    }
}

void ResidualMap::drawScale(QPainter& painter) const {
    const Colours& c = colours();
    const double arcsec = roundBelow(60.0 / magnification_);
    const double length = arcsec * magnification_;
    const double y = frameRect().bottom() + scaled(15.0);
    const QPointF from(frameRect().left() + 4.0, y);
    painter.setPen(QPen(c.text, 1.6));
    painter.drawLine(from, from + QPointF(length, 0.0));
    painter.drawLine(from + QPointF(0, -3), from + QPointF(0, 3));
    painter.drawLine(from + QPointF(length, -3), from + QPointF(length, 3));
    painter.drawText(from + QPointF(length + 8.0, 4.0), arcsecText(arcsec));
    const double real =
        frameRect().width() / (stars_->size.width * stars_->solution->wcs.scaleArcsec());
    painter.setPen(c.quiet);
    const double taken =
        from.x() + length + 24.0 + painter.fontMetrics().horizontalAdvance(arcsecText(arcsec));
    const QString number = QString("%L1").arg(magnification_ / real, 0, 'f', 0);
    QString words = tr("arrows drawn %1 times as long").arg(number);
    if (painter.fontMetrics().horizontalAdvance(words) > width() - taken) {
        words = tr("arrows × %1").arg(number); // larger text, or a narrow bench
    }
    painter.drawText(QRectF(taken, y - scaled(9.0), width() - taken, scaled(18.0)),
                     Qt::AlignLeft | Qt::AlignVCenter,
                     words);
}

void ResidualMap::drawCompass(QPainter& painter) const {
    const auto& wcs = stars_->solution->wcs;
    const frame::PixelPos middle{0.5 * stars_->size.width, 0.5 * stars_->size.height};
    const SkyPos sky = wcs.toSky(middle);
    const double step = Angle::arcsec(20.0 * wcs.scaleArcsec()).radians();
    const QPointF from(frameRect().right() - 26.0, frameRect().top() + 28.0);
    painter.setPen(QPen(colours().quiet, 1.2));
    const auto arm = [&](PlanePos towards, const QString& name) {
        if (const auto tip = wcs.toPixel(fromTangentPlane(sky, towards))) {
            QLineF line(from, from + QPointF(tip->x - middle.x, middle.y - tip->y));
            line.setLength(14.0);
            painter.drawLine(line);
            line.setLength(21.0);
            painter.drawText(
                QRectF(line.p2() - QPointF(scaled(8), scaled(8)), QSizeF(scaled(16), scaled(16))),
                Qt::AlignCenter,
                name);
        }
    };
    arm({0.0, step}, "N");
    arm({step, 0.0}, "E");
}

void ResidualMap::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    const Colours& c = colours();
    if (!stars_ || !stars_->solution) {
        return;
    }
    painter.setPen(QPen(c.line, 1.0));
    painter.drawRect(frameRect());
    painter.setClipRect(frameRect());
    medians_ ? drawMedians(painter) : drawStars(painter);
    painter.setClipping(false);
    drawCompass(painter);
    drawScale(painter);
}

void ResidualMap::mousePressEvent(QMouseEvent* event) {
    if (!stars_ || event->button() != Qt::LeftButton) {
        return;
    }
    int best = -1;
    double nearest = 14.0;
    for (std::size_t i = 0; i < stars_->stars.size(); ++i) {
        const auto& star = stars_->stars[i];
        if (star.status == solve::MatchStatus::Used ||
            star.status == solve::MatchStatus::Rejected) {
            const double away = QLineF(toMap(star.pixel), event->position()).length();
            if (away < nearest) {
                nearest = away;
                best = static_cast<int>(i);
            }
        }
    }
    if (best >= 0) {
        emit starChosen(best);
    }
}

} // namespace pathmark::desk
