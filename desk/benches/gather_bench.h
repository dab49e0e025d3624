#pragma once

#include "desk/session/night_snapshot.h"
#include "desk/shell/bench.h"

#include <QWidget>

#include <functional>

class QLabel;
class QPushButton;

namespace pathmark::desk {

class NightSession;
class QualityPlot;
class GroupStrips;

/// What the night holds: quality against time with a limit to drag, each group of like frames as a strip, and the
/// odd ones out with their reasons.
class GatherBench : public QWidget, public Bench {
    Q_OBJECT

  public:
    explicit GatherBench(NightSession& session, QWidget* parent = nullptr);

    [[nodiscard]] BenchInfo info() const override;

    [[nodiscard]] QWidget* widget() override { return this; }

    void addCommands(Commands& commands) override;
    void setNight(const std::shared_ptr<const NightSnapshot>& night) override;
    void setFrame(int light) override;

    QualityPlot& plot() { return *plot_; }

    /// Leaves out what the limit says.
    void leaveOut();

    void nextQuality();

  private:
    void showPreview();

    NightSession& session_;
    QualityPlot* plot_ = nullptr;
    GroupStrips* strips_ = nullptr;
    QPushButton* leaveOut_ = nullptr;
};

/// One strip for each group, one stroke for each frame; odd frames stand out and say why.
class GroupStrips : public QWidget {
    Q_OBJECT

  public:
    explicit GroupStrips(QWidget* parent = nullptr);
    void setNight(const NightSnapshot* night);

    /// Where a frame's stroke is drawn.
    [[nodiscard]] QRectF strokeOf(std::size_t group, std::size_t frame) const;

  signals:
    void frameChosen(const QString& path);
    void kindWanted(std::size_t group, pathmark::frame::FrameKind kind);

  protected:
    void changeEvent(QEvent* event) override;
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;
    bool event(QEvent* event) override;

  private:
    void grow(); ///< with the groups and the text
    [[nodiscard]] QString whyOdd(const std::filesystem::path& path) const;
    [[nodiscard]] std::optional<std::pair<std::size_t, std::size_t>>
    frameAt(const QPointF& point) const;

    const NightSnapshot* night_ = nullptr;
};

} // namespace pathmark::desk
