#include "desk/evidence/cutout_strip.h"

#include "desk/evidence/cutout.h"
#include "desk/theme/theme.h"

#include <QMouseEvent>
#include <QPainter>

#include <algorithm>

namespace pathmark::desk {
namespace {

constexpr int kCellGap = 4;

} // namespace

CutoutStrip::CutoutStrip(JobRunner& jobs, QWidget* parent) : QWidget(parent), reading_(jobs, 1) {
    setObjectName("cutouts");
    setAccessibleName(tr("Cut-outs of the body in hand"));
    setToolTip(tr("The body through time, north up, east to the left. Click to choose; K keeps, P "
                  "parks, D drops."));
}

void CutoutStrip::setMeasurements(const Measurements& measurements) {
    const bool same =
        measurements.size() == measurements_.size() &&
        std::equal(measurements.begin(),
                   measurements.end(),
                   measurements_.begin(),
                   [](const auto& a, const auto& b) {
                       return a.id == b.id && a.picture == b.picture && a.flux == b.flux;
                   });
    measurements_ = measurements;
    if (!same) {
        chosen_ = 0;
        load();
    }
    fitHeight();
    update();
}

void CutoutStrip::load() {
    reading_.drop();
    images_.assign(measurements_.size(), {});
    for (std::size_t i = 0; i < measurements_.size(); ++i) {
        reading_.start([m = measurements_[i]] { return cutout(m); },
                       [this, i](const QImage& image) {
                           images_[i] = image;
                           update();
                       });
    }
}

int CutoutStrip::loaded() const {
    return static_cast<int>(std::count_if(
        images_.begin(), images_.end(), [](const QImage& image) { return !image.isNull(); }));
}

int CutoutStrip::cellSide() const {
    return measurements_.size() <= 12 ? 72 : 52;
}

int CutoutStrip::columns() const {
    return std::max(1, (width() - kCellGap) / (cellSide() + kCellGap));
}

void CutoutStrip::fitHeight() {
    const int count = static_cast<int>(measurements_.size());
    const int rows = std::max(1, (count + columns() - 1) / columns());
    setFixedHeight(rows * (cellSide() + kCellGap) + kCellGap);
}

void CutoutStrip::resizeEvent(QResizeEvent*) {
    fitHeight();
}

QRect CutoutStrip::cellRect(int index) const {
    return {kCellGap + index % columns() * (cellSide() + kCellGap),
            kCellGap + index / columns() * (cellSide() + kCellGap),
            cellSide(),
            cellSide()};
}

void CutoutStrip::setChosen(int index) {
    const int bounded =
        std::clamp(index, 0, std::max(0, static_cast<int>(measurements_.size()) - 1));
    if (bounded != chosen_) {
        chosen_ = bounded;
        update();
        emit chosenChanged(chosen_);
    }
}

void CutoutStrip::mousePressEvent(QMouseEvent* event) {
    for (int i = 0; i < static_cast<int>(measurements_.size()); ++i) {
        if (cellRect(i).contains(event->pos())) {
            setChosen(i);
        }
    }
}

void CutoutStrip::paintEvent(QPaintEvent* event) {
    QPainter painter(this);
    const Colours& c = colours();
    for (int i = 0; i < static_cast<int>(measurements_.size()); ++i) {
        const auto& m = measurements_[static_cast<std::size_t>(i)];
        const QRect cell = cellRect(i);
        if (!cell.adjusted(-2, -2, 2, 2).intersects(event->rect())) {
            continue; // scrolled out
        }
        painter.fillRect(cell, c.panel);
        if (!images_[static_cast<std::size_t>(i)].isNull()) {
            painter.drawImage(cell, images_[static_cast<std::size_t>(i)]);
            dimPicture(painter, cell);
        }
        // The state by shape and colour along the foot.
        const QRect foot(cell.left(), cell.bottom() - 3, cell.width(), 4);
        if (!m.seen) {
            painter.setPen(QPen(c.quiet, 1.0));
            painter.drawText(cell, Qt::AlignCenter, tr("not\nseen"));
        } else if (m.state == night::MeasurementState::Kept) {
            painter.fillRect(foot, c.agreed);
        } else if (m.state == night::MeasurementState::Dropped) {
            painter.setPen(QPen(c.disagrees, 2.0));
            painter.drawLine(cell.topLeft(), cell.bottomRight());
            painter.drawLine(cell.topRight(), cell.bottomLeft());
        } else {
            painter.fillRect(QRect(foot.left(), foot.top(), foot.width() / 3, 4), c.quiet);
            painter.fillRect(
                QRect(foot.right() - foot.width() / 3, foot.top(), foot.width() / 3, 4), c.quiet);
        }
        if (i == chosen_) {
            painter.setPen(QPen(c.inHand, 2.0));
            painter.drawRect(cell.adjusted(-1, -1, 1, 1));
        }
    }
}

} // namespace pathmark::desk
