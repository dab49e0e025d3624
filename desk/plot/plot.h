#pragma once

#include "core/base/time.h"

#include <QString>
#include <QWidget>

#include <functional>
#include <optional>
#include <utility>
#include <vector>

class QCPAxisRect;
class QCPGraph;
class QCustomPlot;
class QMouseEvent;
class QPen;

namespace pathmark::desk {

/// What the points of a set mean; the colour follows the theme.
enum class PlotRole { Text, Quiet, Agreed, Disagrees, Predicted };

/// The shape says the same as the colour.
enum class PlotMark { Level, Upright, Cross, Lozenge, TwoLevels, None };

struct PlotPoint {
    double x = 0.0;
    double y = 0.0;
    double error = 0.0; ///< one standard deviation; 0: none is drawn
    int id = -1;        ///< what picking it means to the owner of the plot
    QString words;      ///< shown while the mouse rests on it
};

/// Points of one look in one panel.
struct PlotSet {
    QString name; ///< as in the table that is saved
    int panel = 0;
    PlotRole role = PlotRole::Text;
    PlotMark mark = PlotMark::Level;
    bool joined = false; ///< by a line
    std::vector<PlotPoint> points;
    bool dotted = false;   ///< the line, where two lie in one panel
    bool setsRange = true; ///< false: what is shown does not reach out to these points
};

struct PlotAxis {
    QString label;       ///< with its unit
    bool isTime = false; ///< values are seconds since 1970 UTC
    bool isEven = false; ///< as far below zero as above it, with a line at zero
    /// Numbers of an axis that is not even: where each stands and what it says; empty: as the axis finds them.
    std::vector<std::pair<double, QString>> ticks = {};
    std::vector<double> folds = {}; ///< places where a stretch is left out
    bool isReversed = false;        ///< small values on top, as of magnitudes
};

/// A level that can be moved with the mouse.
struct PlotLimit {
    int panel = 0;
    double value = 0.0;
    QString words; ///< beside its line
};

/// A time on an axis of times.
inline double plotTime(const Utc& time) {
    constexpr double kJulianOf1970 = 2440587.5;
    return (time.julian() - kJulianOf1970) * 86400.0;
}

/// A plot of the house: panels one above the other over one axis, points with errors, values under the mouse. The wheel zooms, dragging
/// moves, a double click shows all again, a click picks a point, the menu of the right button saves what is seen.
class Plot : public QWidget {
    Q_OBJECT

  public:
    explicit Plot(QWidget* parent = nullptr);

    /// What is plotted against what: one panel for each vertical axis, the first on top.
    void setAxes(const PlotAxis& horizontal, const std::vector<PlotAxis>& vertical);

    void setSets(std::vector<PlotSet> sets);

    /// The same, and what is seen stays: for sets that change under the hand.
    void replaceSets(std::vector<PlotSet> sets);

    [[nodiscard]] const std::vector<PlotSet>& sets() const { return sets_; }

    /// Draws the points with this id as those in hand; -1: none.
    void setChosen(int id);

    /// What the point of an id says where it has no words of its own: made when it is asked for.
    void setWords(std::function<QString(int id)> words);

    /// Draws a limit, or none.
    void setLimit(const std::optional<PlotLimit>& limit);

    /// The height below which it is not to be read; it grows with the text.
    void setLeastHeight(int pixels);

    /// What stands there while there is no point.
    void setEmptyText(const QString& text);

    void showAll();

    /// Saves as the ending of the name says: png, pdf, or csv, which holds every point. False, with the reason in `why`, where that fails.
    bool save(const QString& path, QString* why = nullptr);

    /// Where a point is drawn.
    [[nodiscard]] QPointF placeOf(int panel, double x, double y) const;

    /// The range of a panel's vertical axis, and of the horizontal one.
    [[nodiscard]] std::pair<double, double> verticalRange(int panel) const;
    [[nodiscard]] std::pair<double, double> horizontalRange() const;

  signals:
    void picked(int id);

    /// The limit was moved by the mouse; the owner says what becomes of it with setLimit().
    void limitMoved(double value);

  protected:
    void changeEvent(QEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;
    bool eventFilter(QObject* watched, QEvent* event) override;
    void paintEvent(QPaintEvent* event) override;
    void showEvent(QShowEvent* event) override;

  private:
    void restyle();
    void refill(); ///< while nobody sees the plot, only notes that it is to be drawn
    void fill();
    void markChosen();
    void draw(const PlotSet& set, const std::vector<PlotPoint>& points, QPen pen);
    void drawLines();
    void addLine(QCPAxisRect& panel, const QPointF& from, const QPointF& to, const QPen& pen);
    [[nodiscard]] bool isAtLimit(const QPointF& place) const;
    bool dragLimit(const QMouseEvent& mouse);
    void askAndSave();
    [[nodiscard]] const PlotPoint* pointAt(const QPointF& place) const;
    [[nodiscard]] QString wordsOf(const PlotPoint& point) const;
    [[nodiscard]] QString table() const;

    QCustomPlot* plot_ = nullptr;
    std::vector<QCPAxisRect*> panels_;
    PlotAxis horizontal_;
    std::vector<PlotAxis> vertical_;
    std::vector<PlotSet> sets_;
    std::function<QString(int id)> words_;
    std::optional<PlotLimit> limit_;
    bool dragsLimit_ = false;
    QString emptyText_;
    QPointF pressed_;
    int leastHeight_ = 0; ///< with text of normal size
    int chosen_ = -1;
    int plain_ = 0; ///< how many of what is drawn is not the mark of what is in hand
    bool stale_ = false;
};

} // namespace pathmark::desk
