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
    void setInHand(const std::string& name);

    [[nodiscard]] std::string inHand() const { return inHand_; }

    /// Takes the body that stands `by` places further down in hand.
    void step(int by);

    /// Names in the order shown.
    [[nodiscard]] std::vector<std::string> shownNames() const;

  signals:
    void chosen(const std::string& name);

  protected:
    void currentChanged(const QModelIndex& current, const QModelIndex& previous) override;
    void mousePressEvent(QMouseEvent* event) override;
    void paintEvent(QPaintEvent* event) override;

  private:
    void fill();

    QStandardItemModel model_;
    const NightSnapshot* night_ = nullptr;
    std::string inHand_;
    bool unfolded_ = false;
    bool filling_ = false;
};

} // namespace pathmark::desk
