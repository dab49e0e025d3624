#include "desk/ribbon/frame_ribbon.h"

#include "desk/shell/words.h"
#include "desk/theme/theme.h"

#include <QHelpEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>

#include <algorithm>
#include <cmath>
#include <map>

namespace pathmark::desk {
namespace {

constexpr double kRight = 16.0;
constexpr double kFoldSeconds = 150.0; ///< room a folded gap takes

/// Lengths that hold text.
double leftOf() {
    return scaled(150.0);
}

double topOf() {
    return scaled(20.0);
}

/// All lanes together are never higher than six: the Sky keeps its room in a list of many nights.
double laneHeight(std::size_t lanes) {
    constexpr double most = 6.0;
    return scaled(24.0) * std::min(1.0, most / std::max(1.0, static_cast<double>(lanes)));
}

QColor mix(const QColor& a, const QColor& b, double t) {
    const auto part = [t](int from, int to) {
        return from + static_cast<int>(std::lround(t * (to - from)));
    };
    return {part(a.red(), b.red()), part(a.green(), b.green()), part(a.blue(), b.blue())};
}

/// Smaller is better.
std::optional<double> qualityCost(const night::LightRecord& light,
                                  const std::optional<night::Drift>& drift,
                                  RibbonQuality quality) {
    switch (quality) {
    case RibbonQuality::Fwhm:
        return light.fwhmPixels > 0.0 ? std::optional(light.fwhmPixels) : std::nullopt;
    case RibbonQuality::Sky:
        return light.skyElectrons > 0.0 ? std::optional(light.skyElectrons) : std::nullopt;
    case RibbonQuality::Stars:
        return light.sources > 0 ? std::optional(-1.0 * light.sources) : std::nullopt;
    case RibbonQuality::Transparency:
        return light.photometry ? std::optional(-light.photometry->zeroPoint) : std::nullopt;
    case RibbonQuality::Drift: return drift ? std::optional(drift->lengthArcsec()) : std::nullopt;
    }
    return std::nullopt;
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

FrameRibbon::FrameRibbon(QWidget* parent) : QWidget(parent) {
    setObjectName("ribbon");
    setAccessibleName(tr("Ribbon of the frames"));
    setMinimumHeight(80);
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
}

void FrameRibbon::setNight(const NightSnapshot* night) {
    const bool isSame = night_ != nullptr && night != nullptr &&
                        night_->lights.isSameAs(night->lights) &&
                        night_->made.isSameAs(night->made);
    const bool isLeftOutSame = isSame && night_->excluded == night->excluded;
    night_ = night;
    if (isSame) {
        if (!isLeftOutSame) {
            update(); // frames stand where they stood
        }
        return;
    }
    layOut();
    grow();
    update();
}

void FrameRibbon::grow() {
    setFixedHeight(static_cast<int>(topOf() + scaled(24.0) +
                                    laneHeight(lanes_.size()) *
                                        std::max<double>(1.0, static_cast<double>(lanes_.size()))));
}

void FrameRibbon::setSelected(int index) {
    selected_ = index;
    update();
}

void FrameRibbon::setQuality(RibbonQuality quality) {
    quality_ = quality;
    rateQuality();
    update();
}

void FrameRibbon::layOut() {
    blocks_.clear();
    lanes_.clear();
    folds_.clear();
    span_ = 1.0;
    if (night_ == nullptr || night_->lights.empty()) {
        return;
    }
    drifts_ = night::driftOf(night_->lights);
    // Series interleave in time, so the folded axis is laid out over all of them together.
    const Utc first = night_->lights.front().middle;
    double cursor = 0.0;
    double reached = -1e9;
    double offset = 0.0;
    for (const auto& light : night_->lights) {
        const double start = light.middle.secondsSince(first) - 0.5 * light.exposureSeconds;
        const double end = start + light.exposureSeconds;
        if (reached > -1e8 && start - reached > 3.0 * kFoldSeconds) {
            offset += start - reached - kFoldSeconds;
            folds_.emplace_back(cursor + 0.5 * kFoldSeconds, (start - reached) / 3600.0);
        } else if (reached < -1e8) {
            offset = start;
        }
        reached = std::max(reached, end);
        auto lane = std::find_if(lanes_.begin(), lanes_.end(), [&](const Lane& known) {
            return known.series == light.series;
        });
        if (lane == lanes_.end()) {
            lanes_.push_back({light.series, QString::fromStdString(light.seriesTitle)});
            lane = lanes_.end() - 1;
        }
        blocks_.push_back(
            {start - offset, end - offset, static_cast<int>(lane - lanes_.begin()), -1.0, false});
        cursor = std::max(cursor, end - offset);
    }
    span_ = std::max(cursor, 1.0);
    rateQuality();
    markMeasured();
}

void FrameRibbon::markMeasured() {
    for (const auto& m : night_->made) {
        if (const int place = m.seen ? night_->placeOf(m.frame) : -1; place >= 0) {
            blocks_[static_cast<std::size_t>(place)].measured = true;
        }
    }
}

void FrameRibbon::rateQuality() {
    std::map<int, std::pair<double, double>> range;
    for (std::size_t i = 0; i < blocks_.size(); ++i) {
        if (const auto value = qualityCost(night_->lights[i], drifts_[i], quality_)) {
            auto [at, fresh] = range.try_emplace(blocks_[i].lane, std::pair{*value, *value});
            at->second.first = std::min(at->second.first, *value);
            at->second.second = std::max(at->second.second, *value);
        }
    }
    for (std::size_t i = 0; i < blocks_.size(); ++i) {
        const auto value = qualityCost(night_->lights[i], drifts_[i], quality_);
        const auto limits = range.find(blocks_[i].lane);
        if (!value || limits == range.end()) {
            blocks_[i].quality = -1.0;
            continue;
        }
        const double width = std::max(1e-9, limits->second.second - limits->second.first);
        blocks_[i].quality = 1.0 - (*value - limits->second.first) / width;
    }
}

double FrameRibbon::xOf(double seconds) const {
    return leftOf() + seconds / span_ * (width() - leftOf() - kRight);
}

QRectF FrameRibbon::cellRect(int index) const {
    if (index < 0 || static_cast<std::size_t>(index) >= blocks_.size()) {
        return {};
    }
    const Block& b = blocks_[static_cast<std::size_t>(index)];
    const double x0 = xOf(b.start);
    const double x1 = std::max(x0 + 3.0, xOf(b.end) - 1.0);
    return {x0,
            topOf() + laneHeight(lanes_.size()) * b.lane + 2.0,
            x1 - x0,
            std::max(2.0, laneHeight(lanes_.size()) - 5.0)};
}

int FrameRibbon::indexAt(const QPointF& point) const {
    int best = -1;
    double bestDistance = 1e9;
    for (std::size_t i = 0; i < blocks_.size(); ++i) {
        const QRectF cell = cellRect(static_cast<int>(i));
        const double dy = std::max({0.0, cell.top() - point.y(), point.y() - cell.bottom()});
        const double dx = std::max({0.0, cell.left() - point.x(), point.x() - cell.right()});
        const double distance = dx + 4.0 * dy;
        if (distance < bestDistance) {
            bestDistance = distance;
            best = static_cast<int>(i);
        }
    }
    return best;
}

void FrameRibbon::select(int index) {
    if (index >= 0 && index != selected_) {
        selected_ = index;
        update();
        emit selectedChanged(index);
    }
}

void FrameRibbon::mousePressEvent(QMouseEvent* event) {
    if (event->button() == Qt::LeftButton) {
        select(indexAt(event->position()));
    }
}

void FrameRibbon::mouseMoveEvent(QMouseEvent* event) {
    if ((event->buttons() & Qt::LeftButton) != 0) {
        select(indexAt(event->position()));
    }
}

void FrameRibbon::changeEvent(QEvent* event) {
    if (event->type() == QEvent::FontChange) {
        grow();
    }
    QWidget::changeEvent(event);
}

void FrameRibbon::resizeEvent(QResizeEvent*) {
    update();
}

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

QString FrameRibbon::tipOf(int index) const {
    const auto& light = night_->lights[static_cast<std::size_t>(index)];
    QString tip =
        tr("%1\n%2 UTC, %3 s")
            .arg(QString::fromStdString(light.raw.filename().string()),
                 QString::fromStdString(toIso(light.middle, 1)).chopped(1).replace('T', ' '))
            .arg(light.exposureSeconds);
    if (light.fwhmPixels > 0.0) {
        tip +=
            "\n" +
            tr("FWHM %1 px, %n source(s)", nullptr, light.sources).arg(light.fwhmPixels, 0, 'f', 2);
    }
    if (const auto& drift = drifts_[static_cast<std::size_t>(index)]) {
        tip += "\n" + tr("Since the first of its series: RA %1″, Dec %2″, turned %3°")
                          .arg(drift->raArcsec, 0, 'f', 1)
                          .arg(drift->decArcsec, 0, 'f', 1)
                          .arg(drift->turnDegrees, 0, 'f', 3);
    }
    if (!light.problem.empty()) {
        tip += "\n" + tr("Not solved: %1").arg(QString::fromStdString(light.problem));
    }
    return tip;
}

bool FrameRibbon::event(QEvent* event) {
    if (event->type() == QEvent::ToolTip && night_ != nullptr) {
        const auto* help = static_cast<QHelpEvent*>(event);
        const int index = indexAt(help->pos());
        if (index >= 0 && cellRect(index).adjusted(-2, -3, 2, 3).contains(help->pos())) {
            QToolTip::showText(help->globalPos(), tipOf(index), this);
        } else {
            QToolTip::hideText();
        }
        return true;
    }
    return QWidget::event(event);
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
    painter.drawText(QRectF(8, 2, leftOf() - 16, topOf() - 4),
                     Qt::AlignLeft | Qt::AlignVCenter,
                     "UTC · " + qualityName(quality_) + reachText());
    const double bottom = topOf() + laneHeight(lanes_.size()) * static_cast<double>(lanes_.size());
    double lastLabel = -1e9;
    for (std::size_t i = 0; i < blocks_.size(); ++i) {
        const double x = xOf(blocks_[i].start);
        if (x - lastLabel > scaled(74.0) && x < width() - scaled(60.0)) {
            const QString text =
                QString::fromStdString(toIso(night_->lights[i].middle, 0)).mid(11, 5);
            painter.drawText(
                QRectF(x, 2, scaled(60), topOf() - 4), Qt::AlignLeft | Qt::AlignVCenter, text);
            painter.drawLine(QPointF(x, topOf() - 4), QPointF(x, topOf()));
            lastLabel = x;
        }
    }
    for (const auto& [place, hours] : folds_) {
        const double x = xOf(place);
        painter.setPen(QPen(c.line, 1.0, Qt::DotLine));
        painter.drawLine(QPointF(x, topOf()), QPointF(x, bottom));
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
        const QRectF box(8, topOf() + high * static_cast<double>(lane), leftOf() - 16, high - 2);
        painter.drawText(box,
                         Qt::AlignLeft | Qt::AlignVCenter,
                         painter.fontMetrics().elidedText(
                             laneLabel(lane), Qt::ElideRight, static_cast<int>(leftOf()) - 18));
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
    const QRectF cell = cellRect(selected_);
    if (!cell.isNull()) {
        painter.setPen(QPen(c.text, 2.0));
        painter.drawRect(cell.adjusted(-2, -2, 2, 2));
    }
}

} // namespace pathmark::desk
