#pragma once

#include "core/picture/stretch.h"
#include "desk/shell/bench.h"

#include <QWidget>

class QLabel;
class QPushButton;
class QSlider;

namespace pathmark::desk {

class HistogramView;
class PictureSession;

/// The picture of a comet, as a page of Stack: the Sky is the picture, and beside it is the histogram on which it is stretched.
class PictureBench : public QWidget, public Bench {
    Q_OBJECT

  public:
    explicit PictureBench(NightSession& session, QWidget* parent = nullptr);

    [[nodiscard]] BenchInfo info() const override;

    [[nodiscard]] QWidget* widget() override { return this; }

    void addCommands(Commands& commands) override;
    void setShown(bool shown) override;
    void refreshColours() override;

    /// Only its command opens it.
    [[nodiscard]] bool opensFor(const NightSnapshot*) const override { return false; }

  private:
    void showPicture();
    void showLook();
    void follow(const picture::Stretch& stretch);
    void save();
    [[nodiscard]] QString words() const;

    PictureSession& picture_;
    bool isShown_ = false;
    QLabel* title_;
    HistogramView* histogram_;
    QLabel* colourTitle_;
    QSlider* colour_;
    QLabel* words_;
    QPushButton* itself_;
    QPushButton* save_;
};

} // namespace pathmark::desk
