#pragma once

#include "core/night/frame_stars.h"
#include "desk/session/night_snapshot.h"

#include <QWidget>

#include <array>
#include <memory>

class QLabel;
class QPushButton;
class QStackedWidget;

namespace pathmark::desk {

class HandFitPanel;
class HandFitSession;
class NightCurves;
class ResidualMap;
class ResidualPlots;
class SolveChecks;
class StarTable;

/// The bench of solving: the residuals of the frame in hand as arrows, as plots and as rows; the solutions of the whole
/// night; the fit by hand. Where a frame is not solved, why.
class SolveBench : public QWidget {
    Q_OBJECT

  public:
    enum Page { Field, Rows, Night, Hand, kPages };

    explicit SolveBench(HandFitSession& hand, QWidget* parent = nullptr);

    void setNight(const NightSnapshot* night);
    void setFrame(int index);

    /// What is known of the stars of the frame in hand; `state` says why it is nothing.
    void setStars(const std::shared_ptr<const night::FrameStars>& stars, const QString& state);

    void showPage(Page page);

    [[nodiscard]] Page page() const { return page_; }

    void setChosen(int star);
    void refreshHandFit();

  signals:
    void frameChosen(int light);
    void starChosen(int star); ///< index into FrameStars::stars

  private:
    QWidget* buildField();
    QWidget* buildPages();
    void refreshField();
    [[nodiscard]] const night::LightRecord* light() const;
    [[nodiscard]] QString summary() const;

    const NightSnapshot* night_ = nullptr;
    int frame_ = -1;
    std::shared_ptr<const night::FrameStars> stars_;
    QString state_;
    Page page_ = Field;
    std::array<QPushButton*, kPages> buttons_{};
    QStackedWidget* pages_ = nullptr;
    QStackedWidget* field_ = nullptr; ///< residuals, checks, or a word on what is going on
    QLabel* summary_ = nullptr;
    QLabel* title_ = nullptr;
    QLabel* word_ = nullptr;
    QPushButton* medians_ = nullptr;
    ResidualMap* map_ = nullptr;
    ResidualPlots* plots_ = nullptr;
    StarTable* table_ = nullptr;
    NightCurves* curves_ = nullptr;
    SolveChecks* checks_ = nullptr;
    HandFitPanel* hand_ = nullptr;
    HandFitSession& handFit_;
};

} // namespace pathmark::desk
