#include "desk/plot/plot.h"

#include "core/base/atomic_file.h"
#include "desk/session/message.h"
#include "desk/theme/theme.h"

#include <QContextMenuEvent>
#include <QEvent>
#include <QFileDialog>
#include <QMenu>
#include <QMouseEvent>
#include <QToolTip>
#include <qcustomplot.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <utility>

namespace pathmark::desk {
namespace {

constexpr double kReach = 9.0; ///< pixels from a point within which it is meant
constexpr double kMark = 4.0;  ///< half a mark
constexpr std::size_t kCrowd = 60;

QColor colourOf(PlotRole role) {
    const Colours& c = colours();
    switch (role) {
    case PlotRole::Text: return c.text;
    case PlotRole::Quiet: return c.quiet;
    case PlotRole::Agreed: return c.agreed;
    case PlotRole::Disagrees: return c.disagrees;
    case PlotRole::Predicted: return c.predicted;
    }
    return c.text;
}

QCPScatterStyle styleOf(PlotMark mark, const QPen& pen) {
    QPainterPath path;
    switch (mark) {
    case PlotMark::Level:
        path.moveTo(-kMark, 0);
        path.lineTo(kMark, 0);
        break;
    case PlotMark::TwoLevels:
        for (const double y : {-0.5, 0.5}) {
            path.moveTo(-kMark, y * kMark);
            path.lineTo(kMark, y * kMark);
        }
        break;
    case PlotMark::Upright:
        path.moveTo(0, -kMark);
        path.lineTo(0, kMark);
        break;
    case PlotMark::Cross:
        path.moveTo(-kMark, -kMark);
        path.lineTo(kMark, kMark);
        path.moveTo(-kMark, kMark);
        path.lineTo(kMark, -kMark);
        break;
    case PlotMark::Lozenge:
        path.moveTo(0, -kMark);
        path.lineTo(kMark, 0);
        path.lineTo(0, kMark);
        path.lineTo(-kMark, 0);
        path.closeSubpath();
        break;
    case PlotMark::None: return {QCPScatterStyle::ssNone};
    }
    QCPScatterStyle style(path, pen, Qt::NoBrush, 6.0);
    return style;
}

/// Points with a bar over each error, all bars in one stroke: the library's own, one by one, take ten times as long.
class GraphWithErrors : public QCPGraph {
  public:
    GraphWithErrors(QCPAxis& key, QCPAxis& value, const std::vector<PlotPoint>& points)
        : QCPGraph(&key, &value) {
        std::copy_if(points.begin(),
                     points.end(),
                     std::back_inserter(points_),
                     [](const PlotPoint& p) { return p.error > 0.0; });
    }

  protected:
    void draw(QCPPainter* painter) override {
        QVector<QLineF> bars;
        for (const PlotPoint& p : points_) {
            bars.append({coordsToPixels(p.x, p.y - p.error), coordsToPixels(p.x, p.y + p.error)});
        }
        painter->setAntialiasing(false);
        painter->setPen(scatterStyle().pen());
        painter->drawLines(bars);
        QCPGraph::draw(painter);
    }

    /// All marks in one stroke: one by one, the painter moved to each, they take several times as long.
    void drawScatterPlot(QCPPainter* painter,
                         const QVector<QPointF>& places,
                         const QCPScatterStyle& style) const override {
        const QList<QPolygonF> strokes = style.customPath().toSubpathPolygons();
        QVector<QLineF> lines;
        for (const QPointF& place : places) {
            for (const QPolygonF& stroke : strokes) {
                for (int i = 1; i < stroke.size(); ++i) {
                    lines.append({stroke[i - 1] + place, stroke[i] + place});
                }
            }
        }
        applyScattersAntialiasingHint(painter);
        style.applyTo(painter, pen());
        painter->drawLines(lines);
    }

  private:
    std::vector<PlotPoint> points_;
};

void styleAxis(QCPAxis& axis) {
    const Colours& c = colours();
    axis.setBasePen(QPen(c.line));
    axis.setTickPen(QPen(c.line));
    axis.setSubTickPen(Qt::NoPen);
    axis.setTickLabelColor(c.quiet);
    axis.setLabelColor(c.quiet);
    axis.grid()->setPen(Qt::NoPen);
    axis.grid()->setZeroLinePen(QPen(c.line));
}

/// Reads a place of an item by the axes of a panel, and cuts the item off at the panel's edge.
void standOn(QCPAbstractItem& item, QCPItemPosition& place, QCPAxisRect& panel) {
    place.setAxes(panel.axis(QCPAxis::atBottom), panel.axis(QCPAxis::atLeft));
    place.setAxisRect(&panel);
    item.setClipAxisRect(&panel);
}

QString quoted(QString text) {
    return "\"" + text.replace("\"", "\"\"").replace('\n', ' ') + "\"";
}

} // namespace

Plot::Plot(QWidget* parent) : QWidget(parent), plot_(new QCustomPlot) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->addWidget(plot_);
    plot_->setFocusPolicy(Qt::NoFocus);
    plot_->setInteractions(QCP::iRangeDrag | QCP::iRangeZoom);
    plot_->setNoAntialiasingOnDrag(true);
    // With the rest of the window, not at once.
    plot_->setPlottingHint(QCP::phImmediateRefresh, false);
    plot_->setMouseTracking(true);
    plot_->installEventFilter(this);
    setAxes({}, {{}});
}

namespace {

/// The numbers that an axis is given.
QSharedPointer<QCPAxisTickerText> tickerOf(const PlotAxis& axis) {
    auto ticker = QSharedPointer<QCPAxisTickerText>::create();
    for (const auto& [place, text] : axis.ticks) {
        ticker->addTick(place, text);
    }
    return ticker;
}

} // namespace

void Plot::setAxes(const PlotAxis& horizontal, const std::vector<PlotAxis>& vertical) {
    horizontal_ = horizontal;
    vertical_ = vertical;
    sets_.clear(); // they belong to the axes that were
    plot_->clearPlottables();
    plot_->plotLayout()->clear();
    panels_.clear();
    auto* margins = new QCPMarginGroup(plot_);
    for (std::size_t i = 0; i < vertical.size(); ++i) {
        auto* panel = new QCPAxisRect(plot_);
        plot_->plotLayout()->addElement(static_cast<int>(i), 0, panel);
        panel->setMarginGroup(QCP::msLeft | QCP::msRight, margins);
        panel->setMinimumMargins(QMargins(4, 4, 8, 2));
        panel->setupFullAxesBox();
        for (QCPAxis* axis : panel->axes()) {
            axis->setLayer("axes");
            axis->grid()->setLayer("grid");
        }
        const bool isLowest = i + 1 == vertical.size();
        QCPAxis* below = panel->axis(QCPAxis::atBottom);
        below->setTickLabels(isLowest);
        below->setLabel(isLowest ? horizontal.label : QString());
        if (horizontal.isTime) {
            auto ticker = QSharedPointer<QCPAxisTickerDateTime>::create();
            ticker->setDateTimeSpec(Qt::UTC);
            ticker->setDateTimeFormat("HH:mm");
            below->setTicker(ticker);
        }
        if (!horizontal.ticks.empty()) {
            below->setTicker(tickerOf(horizontal));
        }
        panel->axis(QCPAxis::atLeft)->setLabel(vertical[i].label);
        panel->axis(QCPAxis::atLeft)->setRangeReversed(vertical[i].isReversed);
        if (!vertical[i].ticks.empty()) {
            panel->axis(QCPAxis::atLeft)->setTicker(tickerOf(vertical[i]));
        }
        // Low panels have room for few numbers.
        panel->axis(QCPAxis::atLeft)->ticker()->setTickCount(vertical.size() > 1 ? 3 : 5);
        for (QCPAxisRect* other : panels_) {
            // All panels stand over one stretch.
            connect(below,
                    QOverload<const QCPRange&>::of(&QCPAxis::rangeChanged),
                    other->axis(QCPAxis::atBottom),
                    QOverload<const QCPRange&>::of(&QCPAxis::setRange));
            connect(other->axis(QCPAxis::atBottom),
                    QOverload<const QCPRange&>::of(&QCPAxis::rangeChanged),
                    below,
                    QOverload<const QCPRange&>::of(&QCPAxis::setRange));
        }
        panels_.push_back(panel);
    }
    restyle(); // NOLINT(clang-analyzer-cplusplus.NewDeleteLeaks): the group of margins is the plot's
}

void Plot::setSets(std::vector<PlotSet> sets) {
    replaceSets(std::move(sets));
    showAll();
}

void Plot::replaceSets(std::vector<PlotSet> sets) {
    sets_ = std::move(sets);
    refill();
}

void Plot::setWords(std::function<QString(int id)> words) {
    words_ = std::move(words);
}

QString Plot::wordsOf(const PlotPoint& point) const {
    return point.words.isEmpty() && words_ && point.id >= 0 ? words_(point.id) : point.words;
}

void Plot::setLimit(const std::optional<PlotLimit>& limit) {
    limit_ = limit;
    if (isVisible() && !stale_) {
        drawLines();
        plot_->replot(QCustomPlot::rpQueuedReplot);
    } else {
        stale_ = true;
    }
}

void Plot::setChosen(int id) {
    if (chosen_ != id) {
        chosen_ = id;
        if (isVisible() && !stale_) {
            markChosen();
        } else {
            stale_ = true;
        }
    }
}

void Plot::setLeastHeight(int pixels) {
    leastHeight_ = pixels;
    setMinimumHeight(static_cast<int>(scaled(pixels)));
}

void Plot::setEmptyText(const QString& text) {
    emptyText_ = text;
    update();
}

void Plot::draw(const PlotSet& set, const std::vector<PlotPoint>& points, QPen pen) {
    const bool isCrowd = points.size() >= kCrowd;
    if (isCrowd && !set.joined) {
        pen.setWidthF(1.0);
    }
    QCPAxisRect* panel = panels_[static_cast<std::size_t>(set.panel)];
    auto* graph =
        new GraphWithErrors(*panel->axis(QCPAxis::atBottom), *panel->axis(QCPAxis::atLeft), points);
    QVector<double> x;
    QVector<double> y;
    for (const PlotPoint& p : points) {
        x.append(p.x);
        y.append(p.y);
    }
    graph->setData(x, y);
    graph->setLineStyle(set.joined ? QCPGraph::lsLine : QCPGraph::lsNone);
    graph->setPen(pen);
    graph->setScatterStyle(styleOf(set.mark, pen));
    // Smoothed strokes, or broader ones, take most of the time of a crowd, which reads as well without.
    graph->setAntialiasedScatters(!isCrowd);
}

void Plot::fill() {
    plot_->clearPlottables();
    for (const PlotSet& set : sets_) {
        const Qt::PenStyle line = set.dotted ? Qt::DotLine : Qt::SolidLine;
        draw(set, set.points, QPen(colourOf(set.role), set.joined ? 1.8 : 1.4, line));
    }
    plain_ = plot_->plottableCount();
    drawLines();
    markChosen();
    const bool isEmpty =
        std::all_of(sets_.begin(), sets_.end(), [](const PlotSet& s) { return s.points.empty(); });
    plot_->setVisible(!isEmpty);
    update();
}

/// The folds of the horizontal axis and the limit, which stand over the points.
void Plot::drawLines() {
    plot_->clearItems();
    for (const double place : horizontal_.folds) {
        for (QCPAxisRect* panel : panels_) {
            addLine(*panel, {place, 0.0}, {place, 1.0}, QPen(colours().line, 1.0, Qt::DotLine));
        }
    }
    if (!limit_) {
        return;
    }
    QCPAxisRect* panel = panels_[static_cast<std::size_t>(limit_->panel)];
    addLine(*panel,
            {0.0, limit_->value},
            {1.0, limit_->value},
            QPen(colours().disagrees, 1.4, Qt::DashLine));
    auto* words = new QCPItemText(plot_);
    words->position->setTypeX(QCPItemPosition::ptAxisRectRatio);
    words->position->setTypeY(QCPItemPosition::ptPlotCoords);
    standOn(*words, *words->position, *panel);
    words->position->setCoords(0.99, limit_->value);
    // Where there is room: below a line that lies high, above one that lies low.
    const QCPRange shown = panel->axis(QCPAxis::atLeft)->range();
    words->setPositionAlignment(Qt::AlignRight |
                                (limit_->value > shown.center() ? Qt::AlignTop : Qt::AlignBottom));
    words->setPadding(QMargins(0, 3, 0, 3));
    words->setText(limit_->words);
    words->setFont(font());
    words->setColor(colours().disagrees);
}

void Plot::addLine(QCPAxisRect& panel, const QPointF& from, const QPointF& to, const QPen& pen) {
    auto* line = new QCPItemStraightLine(plot_);
    standOn(*line, *line->point1, panel);
    standOn(*line, *line->point2, panel);
    line->point1->setCoords(from);
    line->point2->setCoords(to);
    line->setPen(pen);
}

bool Plot::isAtLimit(const QPointF& place) const {
    return limit_ && std::abs(placeOf(limit_->panel, horizontalRange().first, limit_->value).y() -
                              place.y()) < kReach;
}

/// True where the mouse belongs to the limit.
bool Plot::dragLimit(const QMouseEvent& mouse) {
    if (mouse.type() == QEvent::MouseButtonPress && mouse.button() == Qt::LeftButton) {
        dragsLimit_ = isAtLimit(mouse.position());
    } else if (mouse.type() == QEvent::MouseButtonRelease) {
        return std::exchange(dragsLimit_, false);
    } else if (dragsLimit_ && mouse.type() == QEvent::MouseMove) {
        const auto* axis = panels_[static_cast<std::size_t>(limit_->panel)]->axis(QCPAxis::atLeft);
        emit limitMoved(axis->pixelToCoord(mouse.position().y()));
    } else if (mouse.type() == QEvent::MouseMove) {
        plot_->setCursor(isAtLimit(mouse.position()) ? Qt::SplitVCursor : Qt::ArrowCursor);
    }
    return dragsLimit_;
}

/// What is in hand lies on top of the rest, which stays as it is.
void Plot::markChosen() {
    while (plot_->plottableCount() > plain_) {
        plot_->removePlottable(plot_->plottableCount() - 1);
    }
    for (const PlotSet& set : sets_) {
        std::vector<PlotPoint> chosen;
        std::copy_if(set.points.begin(),
                     set.points.end(),
                     std::back_inserter(chosen),
                     [this](const PlotPoint& p) { return p.id >= 0 && p.id == chosen_; });
        if (!chosen.empty()) {
            draw(set, chosen, QPen(colours().inHand, 2.2));
        }
    }
    plot_->replot(QCustomPlot::rpQueuedReplot);
}

void Plot::refill() {
    stale_ = !isVisible();
    if (!stale_) {
        fill();
    }
}

void Plot::showEvent(QShowEvent* event) {
    if (std::exchange(stale_, false)) {
        fill();
    }
    QWidget::showEvent(event);
}

void Plot::showAll() {
    double left = std::numeric_limits<double>::infinity();
    double right = -left;
    for (std::size_t i = 0; i < panels_.size(); ++i) {
        double low = std::numeric_limits<double>::infinity();
        double high = -low;
        for (const PlotSet& set : sets_) {
            if (set.panel != static_cast<int>(i) || !set.setsRange) {
                continue;
            }
            for (const PlotPoint& p : set.points) {
                left = std::min(left, p.x);
                right = std::max(right, p.x);
                low = std::min(low, p.y - p.error);
                high = std::max(high, p.y + p.error);
            }
        }
        if (limit_ && limit_->panel == static_cast<int>(i)) {
            low = std::min(low, limit_->value);
            high = std::max(high, limit_->value);
        }
        if (vertical_[i].isEven) {
            high = std::max(std::abs(low), std::abs(high));
            low = -high;
        }
        if (low <= high) {
            const double room = high > low ? 0.08 * (high - low) : 0.5;
            panels_[i]->axis(QCPAxis::atLeft)->setRange(low - room, high + room);
        }
    }
    if (left <= right) {
        const double room = right > left ? 0.04 * (right - left) : 30.0;
        panels_.front()->axis(QCPAxis::atBottom)->setRange(left - room, right + room);
    }
    if (isVisible()) {
        plot_->replot(QCustomPlot::rpQueuedReplot);
    }
}

void Plot::restyle() {
    plot_->setBackground(QBrush(colours().ground));
    for (QCPAxisRect* panel : panels_) {
        for (QCPAxis* axis : panel->axes()) {
            styleAxis(*axis);
            axis->setTickLabelFont(font());
            axis->setLabelFont(font());
        }
        for (const auto type : {QCPAxis::atTop, QCPAxis::atRight}) {
            panel->axis(type)->setTicks(false);
        }
    }
    refill();
}

QPointF Plot::placeOf(int panel, double x, double y) const {
    const QCPAxisRect* rect = panels_[static_cast<std::size_t>(panel)];
    return {rect->axis(QCPAxis::atBottom)->coordToPixel(x),
            rect->axis(QCPAxis::atLeft)->coordToPixel(y)};
}

std::pair<double, double> Plot::verticalRange(int panel) const {
    const QCPRange range = panels_[static_cast<std::size_t>(panel)]->axis(QCPAxis::atLeft)->range();
    return {range.lower, range.upper};
}

std::pair<double, double> Plot::horizontalRange() const {
    const QCPRange range = panels_.front()->axis(QCPAxis::atBottom)->range();
    return {range.lower, range.upper};
}

const PlotPoint* Plot::pointAt(const QPointF& place) const {
    const PlotPoint* nearest = nullptr;
    double least = kReach;
    for (const PlotSet& set : sets_) {
        for (const PlotPoint& p : set.points) {
            const double distance = QLineF(placeOf(set.panel, p.x, p.y), place).length();
            if (distance < least) {
                least = distance;
                nearest = &p;
            }
        }
    }
    return nearest;
}

bool Plot::eventFilter(QObject* watched, QEvent* event) {
    const auto* mouse = dynamic_cast<QMouseEvent*>(event);
    if (mouse != nullptr && dragLimit(*mouse)) {
        return true;
    }
    if (mouse != nullptr && event->type() == QEvent::MouseButtonPress) {
        pressed_ = mouse->position();
    } else if (mouse != nullptr && event->type() == QEvent::MouseButtonRelease &&
               mouse->button() == Qt::LeftButton &&
               (mouse->position() - pressed_).manhattanLength() < 4.0) {
        if (const PlotPoint* point = pointAt(mouse->position());
            point != nullptr && point->id >= 0) {
            emit picked(point->id);
        }
    } else if (mouse != nullptr && event->type() == QEvent::MouseButtonDblClick) {
        showAll();
    } else if (mouse != nullptr && event->type() == QEvent::MouseMove &&
               mouse->buttons() == Qt::NoButton) {
        const PlotPoint* point = pointAt(mouse->position());
        QToolTip::showText(mouse->globalPosition().toPoint(),
                           point == nullptr ? QString() : wordsOf(*point),
                           plot_);
    }
    return QWidget::eventFilter(watched, event);
}

void Plot::contextMenuEvent(QContextMenuEvent* event) {
    QMenu menu(this);
    menu.addAction(tr("Show all"), this, &Plot::showAll);
    menu.addAction(tr("Save as PNG, PDF or CSV…"), this, &Plot::askAndSave);
    menu.exec(event->globalPos());
}

void Plot::askAndSave() {
    const QString path = QFileDialog::getSaveFileName(this,
                                                      tr("Save the plot"),
                                                      objectName() + ".png",
                                                      tr("Pictures and tables (*.png *.pdf *.csv)"),
                                                      nullptr,
                                                      QFileDialog::DontUseNativeDialog);
    QString why;
    if (!path.isEmpty() && !save(path, &why)) {
        QToolTip::showText(mapToGlobal(QPoint(10, 10)), why, this);
    }
}

QString Plot::table() const {
    QString text = "set," + quoted(horizontal_.label) + ",panel,value,error,remark\n";
    for (const PlotSet& set : sets_) {
        for (const PlotPoint& p : set.points) {
            text += QString("%1,%2,%3,%4,%5,%6\n")
                        .arg(quoted(set.name),
                             QString::number(p.x, 'g', 15),
                             quoted(vertical_[static_cast<std::size_t>(set.panel)].label),
                             QString::number(p.y, 'g', 9),
                             p.error > 0.0 ? QString::number(p.error, 'g', 6) : QString(),
                             quoted(wordsOf(p)));
        }
    }
    return text;
}

bool Plot::save(const QString& path, QString* why) {
    QBuffer bytes;
    bytes.open(QIODevice::WriteOnly);
    if (path.endsWith(".csv", Qt::CaseInsensitive)) {
        bytes.write(table().toUtf8());
    } else if (path.endsWith(".pdf", Qt::CaseInsensitive)) {
        QPdfWriter writer(&bytes);
        writer.setPageSize(QPageSize(QSizeF(plot_->width(), plot_->height()), QPageSize::Point));
        writer.setPageMargins(QMarginsF());
        writer.setResolution(72);
        QCPPainter painter(&writer);
        painter.setMode(QCPPainter::pmVectorized);
        plot_->toPainter(&painter, plot_->width(), plot_->height());
    } else {
        plot_->toPixmap(plot_->width(), plot_->height(), 2.0).save(&bytes, "PNG");
    }
    const auto written = writeWholeText(path.toStdString(), bytes.data().toStdString());
    if (!written && why != nullptr) {
        *why = message(written.error());
    }
    return written.has_value();
}

void Plot::changeEvent(QEvent* event) {
    if (event->type() == QEvent::PaletteChange || event->type() == QEvent::FontChange) {
        setLeastHeight(leastHeight_);
        restyle();
    }
    QWidget::changeEvent(event);
}

void Plot::paintEvent(QPaintEvent*) {
    if (plot_->isHidden()) {
        QPainter painter(this);
        painter.fillRect(rect(), colours().ground);
        painter.setPen(colours().quiet);
        painter.drawText(
            rect().adjusted(8, 8, -8, -8), Qt::AlignCenter | Qt::TextWordWrap, emptyText_);
    }
}

} // namespace pathmark::desk
