#include "desk/benches/match_map.h"

#include "desk/theme/theme.h"

#include <QPainter>
#include <QPainterPath>

#include <optional>
#include <utility>
#include <vector>

namespace pathmark::desk {
namespace {

struct Feed {
    QString what;
    std::optional<std::size_t> group;
};

std::vector<Feed> feedsOf(const calibrate::MasterMatch& match) {
    std::vector<Feed> feeds;
    for (const auto& feed : match.feeds) {
        feeds.push_back({QString(calibrate::name(feed.role)), feed.group});
    }
    return feeds;
}

void drawNode(QPainter& painter, const QRectF& box, const QString& text, const QColor& edge) {
    painter.setPen(QPen(edge, 1.2));
    painter.setBrush(colours().panel);
    painter.drawRoundedRect(box, 4, 4);
    painter.setBrush(Qt::NoBrush);
    painter.setPen(colours().text);
    painter.drawText(box.adjusted(6, 3, -6, -3), Qt::AlignVCenter | Qt::TextWordWrap, text);
}

/// Wrapped text; returns the y below it.
double drawNote(QPainter& painter, double y, int width, const QString& text, const QColor& colour) {
    painter.setPen(colour);
    QRectF used;
    painter.drawText(QRectF(12, y, width - 24, 400), Qt::TextWordWrap, text, &used);
    return used.bottom() + 4;
}

} // namespace

MatchMap::MatchMap(QWidget* parent) : QWidget(parent) {
    setObjectName("matchMap");
    setToolTip("Series left, masters right; below them what was passed over, and why.");
}

void MatchMap::setNight(const NightSnapshot* night) {
    night_ = night;
    int height = 60;
    if (night != nullptr) {
        for (const auto& entry : night->matches) {
            height += 90 + 52 * static_cast<int>(feedsOf(entry.second).size()) +
                      36 * static_cast<int>(entry.second.passedOver.size() +
                                            entry.second.warnings.size());
        }
    }
    setMinimumHeight(height);
    update();
}

double MatchMap::drawSeries(QPainter& painter, std::size_t group, double y) const {
    const Colours& c = colours();
    const auto& match = night_->matches.at(group);
    const auto feeds = feedsOf(match);
    const double column = 0.42 * width();
    const double rows = std::max<double>(1.0, static_cast<double>(feeds.size()));
    const QRectF series(10, y + 26.0 * (rows - 1.0), column, 46);
    drawNode(painter,
             series,
             QString("%1 × %2")
                 .arg(night_->groups[group].frames.size())
                 .arg(QString::fromStdString(night_->groups[group].title())),
             match.warnings.empty() ? c.agreed : c.disagrees);
    for (std::size_t i = 0; i < feeds.size(); ++i) {
        const auto& master = night_->groups[*feeds[i].group];
        const QRectF box(width() - column - 10, y + 52.0 * static_cast<double>(i), column, 46);
        drawNode(painter,
                 box,
                 QString("%1 × %2")
                     .arg(master.frames.size())
                     .arg(QString::fromStdString(master.title())),
                 c.line);
        QPainterPath line(series.center() + QPointF(0.5 * column, 0));
        const QPointF end(box.left(), box.center().y());
        line.cubicTo(line.currentPosition() + QPointF(30, 0), end - QPointF(30, 0), end);
        painter.setPen(QPen(c.agreed, 1.4));
        painter.drawPath(line);
    }
    y += 52.0 * rows + 6.0;
    for (const auto& feed : match.feeds) {
        y = drawNote(painter, y, width(), QString::fromStdString(feed.reason), c.text);
    }
    for (const auto& warning : match.warnings) {
        y = drawNote(painter, y, width(), "△ " + QString::fromStdString(warning), c.disagrees);
    }
    for (const auto& passed : match.passedOver) {
        y = drawNote(painter,
                     y,
                     width(),
                     "passed over — " + QString::fromStdString(passed.dearest()),
                     c.quiet);
    }
    return y + 16.0;
}

void MatchMap::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.fillRect(rect(), colours().ground);
    if (night_ == nullptr || night_->matches.empty()) {
        painter.setPen(colours().quiet);
        painter.drawText(rect(), Qt::AlignCenter, "No series of lights to calibrate");
        return;
    }
    double y = 12.0;
    for (const auto& entry : night_->matches) {
        y = drawSeries(painter, entry.first, y);
    }
}

} // namespace pathmark::desk
