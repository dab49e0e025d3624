#include "desk/ribbon/frame_ribbon.h"
#include "desk/ribbon/ribbon_lengths.h"
#include "desk/shell/words.h"

#include <QPainter>
#include <QPolygonF>

#include <algorithm>
#include <cmath>

namespace pathmark::desk {
namespace {

QColor mix(const QColor& a, const QColor& b, double t) {
    const auto part = [t](int from, int to) {
        return from + static_cast<int>(std::lround(t * (to - from)));
    };
    return {part(a.red(), b.red()), part(a.green(), b.green()), part(a.blue(), b.blue())};
}

QString qualityName(RibbonQuality quality) {
    switch (quality) {
    case RibbonQuality::Fwhm: return "FWHM";
    case RibbonQuality::Sky: return Words::tr("background");
    case RibbonQuality::Stars: return Words::tr("stars");
    case RibbonQuality::Transparency: return Words::tr("transparency");
    case RibbonQuality::Drift: return Words::tr("drift");
    }
    return {};
}

} // namespace

QString FrameRibbon::laneLabel(std::size_t lane) const {
    const auto firstOf = [](const Lane& l) {
        return QString(l.title).remove("light ").section(',', 0, 0);
    };
    const QString label = firstOf(lanes_[lane]);
    const auto alike = std::count_if(
        lanes_.begin(), lanes_.end(), [&](const Lane& l) { return firstOf(l) == label; });
    const QString target = lanes_[lane].title.section(',', 1, 1).trimmed();
    return alike > 1 && !target.isEmpty() ? target + ", " + label : label;
}

QString FrameRibbon::reachText() const {
    if (quality_ != RibbonQuality::Drift) {
        return {};
    }
    double most = 0.0;
    for (const auto& drift : drifts_) {
        most = std::max(most, drift ? drift->lengthArcsec() : 0.0);
    }
    return most > 0.0 ? tr(", to %1″").arg(most, 0, 'f', 0) : QString();
}

void FrameRibbon::drawAxis(QPainter& painter) const {
    const Colours& c = colours();
    painter.setPen(c.quiet);
    painter.drawText(QRectF(8, 2, ribbonLeft() - 16, ribbonTop() - 4),
                     Qt::AlignLeft | Qt::AlignVCenter,
                     "UTC · " + qualityName(quality_) + reachText());
    const double bottom =
        ribbonTop() + laneHeight(lanes_.size()) * static_cast<double>(lanes_.size());
    double lastLabel = -1e9;
    for (std::size_t i = 0; i < blocks_.size(); ++i) {
        const double x = xOf(blocks_[i].start);
        if (x - lastLabel > scaled(74.0) && x < width() - scaled(60.0)) {
            const QString text =
                QString::fromStdString(toIso(night_->lights[i].middle, 0)).mid(11, 5);
            painter.drawText(
                QRectF(x, 2, scaled(60), ribbonTop() - 4), Qt::AlignLeft | Qt::AlignVCenter, text);
            painter.drawLine(QPointF(x, ribbonTop() - 4), QPointF(x, ribbonTop()));
            lastLabel = x;
        }
    }
    for (const auto& [place, hours] : folds_) {
        const double x = xOf(place);
        painter.setPen(QPen(c.line, 1.0, Qt::DotLine));
        painter.drawLine(QPointF(x, ribbonTop()), QPointF(x, bottom));
        painter.setPen(c.quiet);
        const QString text = hours < 1.0    ? QString("%1 min").arg(60.0 * hours, 0, 'f', 0)
                             : hours < 48.0 ? QString("%1 h").arg(hours, 0, 'f', 1)
                                            : QString("%1 days").arg(hours / 24.0, 0, 'f', 0);
        painter.drawText(
            QRectF(x - scaled(34), bottom, scaled(68), scaled(16)), Qt::AlignCenter, text);
    }
    const double high = laneHeight(lanes_.size());
    for (std::size_t lane = 0; lane < lanes_.size(); ++lane) {
        if (high < painter.fontMetrics().height()) {
            break; // the lanes of many nights are too low for words
        }
        painter.setPen(c.text);
        const QRectF box(
            8, ribbonTop() + high * static_cast<double>(lane), ribbonLeft() - 16, high - 2);
        painter.drawText(box,
                         Qt::AlignLeft | Qt::AlignVCenter,
                         painter.fontMetrics().elidedText(
                             laneLabel(lane), Qt::ElideRight, static_cast<int>(ribbonLeft()) - 18));
    }
}

void FrameRibbon::drawBlock(QPainter& painter, int index) const {
    const Colours& c = colours();
    const auto at = static_cast<std::size_t>(index);
    const auto& light = night_->lights[at];
    const QRectF cell = cellRect(index);
    const double quality = blocks_[at].quality;
    // Better frames are fuller: the fill's height says it beside its shade.
    painter.fillRect(cell, c.panel);
    if (quality >= 0.0) {
        const double height = cell.height() * (0.35 + 0.65 * quality);
        const QRectF fill(cell.left(), cell.bottom() - height, cell.width(), height);
        painter.fillRect(fill, mix(c.line, c.quiet, 0.35 + 0.65 * quality));
    }
    if (night_->excluded[at]) {
        painter.fillRect(cell, QBrush(c.disagrees, Qt::BDiagPattern));
    }
    painter.setPen(QPen(c.line, 1.0));
    painter.drawRect(cell);
    // Notches along the foot: calibrated, solved, measured.
    const bool calibrated = light.calibrated != light.raw;
    const bool done[3] = {calibrated, light.solved(), blocks_[at].measured};
    for (int k = 0; k < 3; ++k) {
        if (done[k]) {
            painter.fillRect(QRectF(cell.left() + 1.0 + k * cell.width() / 3.0,
                                    cell.bottom() - 2.0,
                                    std::max(1.0, cell.width() / 3.0 - 2.0),
                                    2.0),
                             c.agreed);
        }
    }
    if (!light.problem.empty()) {
        painter.setPen(QPen(c.disagrees, 1.5));
        // A cross at the corner, as wide as the block lets it be.
        const QPointF corner = cell.topRight() + QPointF(-2.0, 2.0);
        const double side = std::min(7.0, cell.width() - 4.0);
        painter.drawLine(corner, corner + QPointF(-side, side));
        painter.drawLine(corner + QPointF(-side, 0.0), corner + QPointF(0.0, side));
    }
}

void FrameRibbon::drawBracket(QPainter& painter, int first, int last) const {
    const QRectF from = cellRect(std::min(first, last));
    const QRectF to = cellRect(std::max(first, last));
    const double top = from.top() - 2.0;
    const double foot = from.bottom() + 2.0;
    const double left = from.left() - 2.0;
    const double right = to.right() + 2.0;
    const double arm = 5.0;
    painter.setPen(QPen(colours().text, 2.0));
    painter.drawPolyline(QPolygonF({{left + arm, foot},
                                    {left, foot},
                                    {left, top},
                                    {right, top},
                                    {right, foot},
                                    {right - arm, foot}}));
}

void FrameRibbon::drawBrackets(QPainter& painter) const {
    for (const auto& [series, brackets] : night_->decided->brackets) {
        for (const auto& bracket : brackets) {
            const int first = night_->placeOf(bracket.front());
            const int last = night_->placeOf(bracket.back());
            if (first >= 0 && last >= 0) {
                drawBracket(painter, first, last);
            }
        }
    }
    if (drawn_.first >= 0) {
        drawBracket(painter, drawn_.first, drawn_.second);
    } else if (bracketStart_ >= 0 && selected_ >= 0 && laneOf(bracketStart_) == laneOf(selected_)) {
        drawBracket(painter, bracketStart_, selected_);
    }
}

void FrameRibbon::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    const Colours& c = colours();
    painter.fillRect(rect(), c.ground);
    painter.setPen(c.line);
    painter.drawLine(0, 0, width(), 0);
    if (blocks_.empty()) {
        painter.setPen(c.quiet);
        painter.drawText(
            rect(), Qt::AlignCenter, tr("The night's frames will stand here in order of time."));
        return;
    }
    drawAxis(painter);
    for (int i = 0; i < static_cast<int>(blocks_.size()); ++i) {
        drawBlock(painter, i);
    }
    drawBrackets(painter);
    const QRectF cell = cellRect(selected_);
    if (!cell.isNull()) {
        painter.setPen(QPen(c.text, 2.0));
        painter.drawRect(cell.adjusted(-2, -2, 2, 2));
    }
}

} // namespace pathmark::desk
