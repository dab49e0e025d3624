#pragma once

#include "desk/curve/curve_plots.h"
#include "desk/shell/bench.h"
#include "desk/sky/star_marks.h"

#include <QLabel>
#include <QPushButton>
#include <QWidget>

namespace pathmark::desk {

class LightCurveSession;

/// Light curves of the body in hand and of every star of the field, as a page of Measure: the curve, a star below it on the same axis, the
/// scatter of all stars against their brightness, or how well each period fits.
class LightCurveBench : public QWidget, public Bench {
    Q_OBJECT

  public:
    LightCurveBench(NightSession& session, SkyView& sky, QWidget* parent = nullptr);

    [[nodiscard]] BenchInfo info() const override;

    [[nodiscard]] QWidget* widget() override { return this; }

    void addCommands(Commands& commands) override;
    void setShown(bool shown) override;
    void setFrame(int index) override;

    /// Only its command opens it.
    [[nodiscard]] bool opensFor(const NightSnapshot*) const override { return false; }

    /// The star in hand, as a place in the field; -1: none.
    [[nodiscard]] int star() const { return star_; }

  private:
    void refresh();
    void showCurve();
    void showLower();
    void showMarks();
    void setFold(bool folded);
    void takeStar(int star);
    void stepStar(int by);
    void pointAt(const SkyPos& place);
    [[nodiscard]] int starNear(const SkyPos& place) const;
    void pickBelow(int id);
    void pickFrame(int index);
    void save();
    void chooseSet();
    [[nodiscard]] QString wordsOfPoint(int index) const;
    [[nodiscard]] std::optional<double> foldedWith() const;
    [[nodiscard]] int frameInHand() const;
    [[nodiscard]] std::vector<StarMark> marks() const;

    NightSession& session_;
    SkyView& sky_;
    LightCurveSession& curves_;
    bool isShown_ = false;
    bool isFolded_ = false;
    int star_ = -1;
    double foldDays_ = 0.0; ///< 0: the period found
    std::vector<measure::TrialPeriod> trials_;
    QLabel* title_;
    Plot* curve_;
    Plot* lower_; ///< scatter, or periods
    QLabel* words_;
    QPushButton* measure_;
    QPushButton* fold_;
    QPushButton* band_;
    QPushButton* serve_;
    QPushButton* save_;
};

} // namespace pathmark::desk
