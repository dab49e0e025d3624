#include "desk/evidence/cutout_strip.h"

#include "core/frame/fits_file.h"
#include "core/frame/wcs.h"
#include "desk/session/picture.h"
#include "desk/theme/theme.h"

#include <QMetaObject>
#include <QMouseEvent>
#include <QPainter>

#include <algorithm>
#include <cmath>
#include <limits>

namespace pathmark::desk {
namespace {

constexpr int kHalf = 15; ///< pixels of the frame either side
constexpr int kGap = 4;

/// The rows around the place, turned so that north is up.
QImage cutout(const night::MeasurementRecord& m) {
    auto reader = frame::FitsReader::open(m.picture);
    if (!reader) {
        return {};
    }
    auto wcs = frame::readWcs(reader->header());
    if (!wcs) {
        return {};
    }
    const auto middle = wcs->toPixel(m.seen ? m.sky : m.predicted);
    if (!middle) {
        return {};
    }
    const int reach = static_cast<int>(1.5 * kHalf) + 2;
    const int y0 = std::clamp(static_cast<int>(middle->y) - reach, 0, reader->height() - 1);
    const int y1 = std::clamp(static_cast<int>(middle->y) + reach + 1, y0 + 1, reader->height());
    frame::Image rows(reader->width(), y1 - y0);
    if (!reader->rows(y0, rows.pixels())) {
        return {};
    }
    frame::Image small(2 * kHalf + 1, 2 * kHalf + 1, std::numeric_limits<float>::quiet_NaN());
    const double step = Angle::arcsec(wcs->scaleArcsec()).radians();
    const SkyPos centre = wcs->toSky(*middle);
    for (int j = -kHalf; j <= kHalf; ++j) {
        for (int i = -kHalf; i <= kHalf; ++i) {
            const auto p = wcs->toPixel(fromTangentPlane(centre, {-i * step, j * step}));
            const int x = p ? static_cast<int>(std::lround(p->x)) : -1;
            const int y = p ? static_cast<int>(std::lround(p->y)) - y0 : -1;
            if (rows.contains(x, y)) {
                small.at(i + kHalf, j + kHalf) = rows.at(x, y);
            }
        }
    }
    return stretched(small, {});
}

} // namespace

CutoutStrip::CutoutStrip(QWidget* parent) : QWidget(parent) {
    setObjectName("cutouts");
    setToolTip("The body through time, north up, east to the left. Click to choose; K keeps, P "
               "parks, D drops.");
    pool_.setMaxThreadCount(1);
}

CutoutStrip::~CutoutStrip() {
    pool_.clear();
    pool_.waitForDone();
}

void CutoutStrip::setMeasurements(const std::vector<night::MeasurementRecord>& measurements) {
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
    ++generation_;
    pool_.clear();
    images_.assign(measurements_.size(), {});
    for (std::size_t i = 0; i < measurements_.size(); ++i) {
        const auto m = measurements_[i];
        const int generation = generation_;
        pool_.start([this, m, i, generation] {
            const QImage image = cutout(m);
            QMetaObject::invokeMethod(
                this,
                [this, image, i, generation] {
                    if (generation == generation_) {
                        images_[i] = image;
                        update();
                    }
                },
                Qt::QueuedConnection);
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
    return std::max(1, (width() - kGap) / (cellSide() + kGap));
}

void CutoutStrip::fitHeight() {
    const int count = static_cast<int>(measurements_.size());
    const int rows = std::max(1, (count + columns() - 1) / columns());
    setFixedHeight(rows * (cellSide() + kGap) + kGap);
}

void CutoutStrip::resizeEvent(QResizeEvent*) {
    fitHeight();
}

QRect CutoutStrip::cellRect(int index) const {
    return {kGap + index % columns() * (cellSide() + kGap),
            kGap + index / columns() * (cellSide() + kGap),
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

void CutoutStrip::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    const Colours& c = colours();
    for (int i = 0; i < static_cast<int>(measurements_.size()); ++i) {
        const auto& m = measurements_[static_cast<std::size_t>(i)];
        const QRect cell = cellRect(i);
        painter.fillRect(cell, c.panel);
        if (!images_[static_cast<std::size_t>(i)].isNull()) {
            painter.drawImage(cell, images_[static_cast<std::size_t>(i)]);
            dimPicture(painter, cell);
        }
        // The state by shape and colour along the foot.
        const QRect foot(cell.left(), cell.bottom() - 3, cell.width(), 4);
        if (!m.seen) {
            painter.setPen(QPen(c.quiet, 1.0));
            painter.drawText(cell, Qt::AlignCenter, "not\nseen");
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
