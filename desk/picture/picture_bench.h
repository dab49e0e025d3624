#pragma once

#include "core/picture/layered_picture.h"
#include "desk/shell/bench.h"

#include <QWidget>

class QLabel;
class QPushButton;
class QStackedWidget;

namespace pathmark::desk {

class HistogramView;
class LookControls;
class MakingControls;
class PictureSession;
class Plot;

/// The picture of a comet, as a page of Stack: the Sky is the picture, and beside it are the histogram on which it is stretched, the
/// colours of its stars against the catalogue's, and, over the page, the sky that was taken off it.
class PictureBench : public QWidget, public Bench {
    Q_OBJECT

  public:
    PictureBench(NightSession& session, SkyView& sky, QWidget* parent = nullptr);

    [[nodiscard]] BenchInfo info() const override;

    [[nodiscard]] QWidget* widget() override { return this; }

    void addCommands(Commands& commands) override;
    void setShown(bool shown) override;
    void refreshColours() override;

    /// Only its command opens it.
    [[nodiscard]] bool opensFor(const NightSnapshot*) const override { return false; }

  private:
    void layOut();
    void join();
    void showPicture();
    void showLook();
    void showColours();
    void follow(const picture::Stretch& stretch);
    void take(picture::Look look);
    void showSky(bool shown);
    void followBrush();
    void draw(const frame::PixelPos& centre, double radius);
    void save();
    [[nodiscard]] QString words() const;

    PictureSession& picture_;
    SkyView& sky_;
    bool isShown_ = false;
    bool showsSky_ = false;
    QLabel* title_;
    QStackedWidget* pages_;
    HistogramView* histogram_;
    LookControls* controls_;
    Plot* colours_;
    MakingControls* making_;
    QLabel* words_;
    QPushButton* itself_;
    QPushButton* skyOff_;
    QPushButton* save_;
};

} // namespace pathmark::desk
