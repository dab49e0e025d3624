#pragma once

#include "desk/session/night_snapshot.h"

#include <QListView>
#include <QStandardItemModel>

namespace pathmark::desk {

/// The bodies of the night in order of reach; those beyond reach fold into one line at the end.
class BodiesList : public QListView {
    Q_OBJECT

  public:
    explicit BodiesList(QWidget* parent = nullptr);

    void setNight(const NightSnapshot* night);
    void setInHand(const orbit::BodyId& body);

    [[nodiscard]] const orbit::BodyId& inHand() const { return inHand_; }

    /// Takes the body that stands `by` places further down in hand.
    void step(int by);

    /// In the order shown.
    [[nodiscard]] std::vector<orbit::BodyId> shown() const;

  signals:
    void chosen(const pathmark::orbit::BodyId& body);

  protected:
    void currentChanged(const QModelIndex& current, const QModelIndex& previous) override;
    void mousePressEvent(QMouseEvent* event) override;
    void paintEvent(QPaintEvent* event) override;

  private:
    void fill();
    bool recount();

    QStandardItemModel model_;
    const NightSnapshot* night_ = nullptr;
    orbit::BodyId inHand_;
    std::vector<BodyView> filled_; ///< of the rows
    bool unfolded_ = false;
    bool filling_ = false;
};

} // namespace pathmark::desk
