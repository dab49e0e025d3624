#pragma once

#include "core/night/drift.h"
#include "desk/session/night_snapshot.h"

#include <QRectF>
#include <QWidget>

#include <optional>
#include <vector>

namespace pathmark::desk {

/// What the fill of a block stands for.
enum class RibbonQuality { Fwhm, Sky, Stars, Transparency, Drift };

constexpr int kRibbonQualities = 5;

/// The night along UTC: each series a lane, each frame a block from shutter open to shutter close; long gaps fold.
class FrameRibbon : public QWidget {
    Q_OBJECT

  public:
    explicit FrameRibbon(QWidget* parent = nullptr);

    void setNight(const NightSnapshot* night);
    void setSelected(int index);
    void setQuality(RibbonQuality quality);

    /// Where a bracket was begun by key; -1: nowhere.
    void setBracketStart(int index);

    [[nodiscard]] int selected() const { return selected_; }

    [[nodiscard]] RibbonQuality quality() const { return quality_; }

    /// Where the block of a frame is drawn.
    [[nodiscard]] QRectF cellRect(int index) const;

    QSize sizeHint() const override { return {1000, 96}; }

  signals:
    void selectedChanged(int index);

    /// Frames of one lane were drawn together with Shift, or a bracket was clicked away with it.
    void bracketDrawn(int first, int last);
    void bracketClicked(int index);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    void changeEvent(QEvent* event) override;
    bool event(QEvent* event) override;

  private:
    struct Block {
        double start = 0.0; ///< seconds after the first shutter opened, gaps folded
        double end = 0.0;
        int lane = 0;
        double quality = 0.5;  ///< 0 worst to 1 best of its lane; < 0: not known
        bool measured = false; ///< something was measured on the frame
    };

    void layOut();
    void grow(); ///< with the text
    void rateQuality();
    void markMeasured();
    [[nodiscard]] double xOf(double seconds) const;
    [[nodiscard]] int laneOf(int index) const;
    [[nodiscard]] int indexAt(const QPointF& point) const;
    [[nodiscard]] QString tipOf(int index) const;
    /// How far the drift goes at most, where that is what the blocks show.
    [[nodiscard]] QString reachText() const;
    void drawAxis(QPainter& painter) const;
    void drawBlock(QPainter& painter, int index) const;
    void drawBrackets(QPainter& painter) const;

    /// A clamp over the blocks from one to another.
    void drawBracket(QPainter& painter, int first, int last) const;
    void select(int index);

    const NightSnapshot* night_ = nullptr;
    std::vector<Block> blocks_;

    /// One row of the ribbon.
    struct Lane {
        night::SeriesId series;
        QString title;
    };

    /// What tells a lane from its neighbours: exposure and filter, and the target where that is not enough.
    [[nodiscard]] QString laneLabel(std::size_t lane) const;

    std::vector<Lane> lanes_;
    std::vector<std::pair<double, double>> folds_;    ///< place on the folded axis, hours left out
    std::vector<std::optional<night::Drift>> drifts_; ///< per light
    double span_ = 1.0;
    int selected_ = -1;
    int bracketStart_ = -1;
    std::pair<int, int> drawn_{-1,
                               -1}; ///< the bracket that is being drawn, from where the hand began
    RibbonQuality quality_ = RibbonQuality::Fwhm;
};

} // namespace pathmark::desk
