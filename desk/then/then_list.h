#pragma once

#include "core/night/then_and_now.h"

#include <QWidget>

#include <optional>
#include <vector>

class QComboBox;
class QDoubleSpinBox;
class QTableWidget;

namespace pathmark::desk {

/// What stands in one of two pictures and not in the other, and what was marked in either by hand; and within which circle it is listed.
class ThenList : public QWidget {
    Q_OBJECT

  public:
    /// What the circle goes around.
    enum class Around { WholeField, Body, Mark };

    explicit ThenList(QWidget* parent = nullptr);

    void setLights(std::vector<night::DifferingLight> lights);

    /// Adds a mark, which is then in hand.
    void addMark(const SkyPos& place);

    /// Takes the mark in hand away.
    void removeMark();

    [[nodiscard]] const std::vector<SkyPos>& marks() const { return marks_; }

    /// Of the row in hand, else of the first.
    [[nodiscard]] std::optional<SkyPos> placeInHand() const;

    /// The mark in hand, else the last one.
    [[nodiscard]] std::optional<SkyPos> markInHand() const;

    [[nodiscard]] Around around() const;
    [[nodiscard]] Angle radius() const;

  signals:
    /// A row was taken in hand.
    void chosen(const pathmark::SkyPos& place);
    void marksChanged();
    void circleChanged();

  private:
    void layOut();
    void fill(const std::optional<SkyPos>& inHand);
    [[nodiscard]] int markRow() const; ///< the place of the mark in hand, or -1
    [[nodiscard]] std::optional<SkyPos> placeOf(int row) const;

    QComboBox* around_;
    QDoubleSpinBox* radius_;
    QTableWidget* table_;
    std::vector<night::DifferingLight> lights_;
    std::vector<SkyPos> marks_;
};

} // namespace pathmark::desk
