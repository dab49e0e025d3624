#pragma once

#include "desk/session/night_snapshot.h"

#include <QWidget>

#include <optional>
#include <vector>

namespace pathmark::desk {

/// Which series is fed by which master, and why: series left, the frames that calibrate right, the feeding lines between
/// them. A series in hand shows on every group why it was taken or passed over; a line can be dragged elsewhere.
class MatchMap : public QWidget {
    Q_OBJECT

  public:
    explicit MatchMap(QWidget* parent = nullptr);

    void setNight(const NightSnapshot* night);

    /// Takes a series in hand, by the index of its group; another index changes nothing.
    void takeInHand(std::size_t series);

    /// Where a group is drawn; empty for groups that are not.
    [[nodiscard]] QRectF nodeRect(std::size_t group) const;

    /// Where the line of a role leaves a series: drag from here.
    [[nodiscard]] QPointF socket(std::size_t series, calibrate::Role role) const;

    [[nodiscard]] std::optional<std::size_t> seriesInHand() const { return inHand_; }

  signals:
    /// A series was clicked.
    void chosen(std::size_t series);
    /// The observer dragged a line: to a group, or (empty) away from any.
    void
    dragged(std::size_t series, pathmark::calibrate::Role role, std::optional<std::size_t> group);
    /// A double click on a socket takes back what was said of it.
    void takenBack(std::size_t series, pathmark::calibrate::Role role);

  protected:
    void changeEvent(QEvent* event) override;
    void paintEvent(QPaintEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;

  private:
    struct Node {
        std::size_t group = 0;
        bool isSeries = false;
        bool used = false; ///< feeds some series
        QRectF box;
    };

    struct Grip {
        std::size_t series = 0;
        calibrate::Role role = calibrate::Role::Dark;
    };

    void layOut();
    [[nodiscard]] const Node* nodeAt(const QPointF& point, bool series) const;
    [[nodiscard]] std::optional<Grip> gripAt(const QPointF& point) const;
    [[nodiscard]] QString verdictOn(std::size_t group) const;
    void drawNode(QPainter& painter, const Node& node) const;
    void drawLines(QPainter& painter) const;
    void drawSocket(QPainter& painter, std::size_t series, calibrate::Role role) const;
    void drawNotes(QPainter& painter) const;

    const NightSnapshot* night_ = nullptr;
    std::vector<Node> nodes_;
    std::optional<std::size_t> inHand_;
    std::optional<Grip> dragged_;
    QPointF dragPoint_;
    double notesTop_ = 0.0;
};

} // namespace pathmark::desk
