#pragma once

#include "core/night/frame_stars.h"

#include <QWidget>

#include <array>
#include <memory>
#include <vector>

class QButtonGroup;
class QPushButton;
class QTableView;

namespace pathmark::desk {

class StarTableModel;

/// All stars and sources of the frame in rows: sorted by any column, one kind of status at a time or all.
class StarTable : public QWidget {
    Q_OBJECT

  public:
    explicit StarTable(QWidget* parent = nullptr);

    void setStars(const std::shared_ptr<const night::FrameStars>& stars);
    void setChosen(int star);

    [[nodiscard]] QTableView* view() const { return view_; }

  signals:
    void starChosen(int star); ///< index into FrameStars::stars

  private:
    void showStatus(int status);

    StarTableModel* model_ = nullptr;
    QTableView* view_ = nullptr;
    std::array<QPushButton*, 6> statusButtons_{}; ///< all, then each of solve::MatchStatus
    bool follows_ = false;                        ///< the choice came from elsewhere
};

} // namespace pathmark::desk
