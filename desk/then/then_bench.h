#pragma once

#include "desk/shell/bench.h"

#include <QTimer>
#include <QWidget>

class QComboBox;
class QLabel;
class QLineEdit;
class QPushButton;
class QSlider;
class QTableWidget;

namespace pathmark::desk {

class ThenSession;

/// Then and now: an older picture of the same place beside the Sky, both looking at the same part of it; one over the other while a key is
/// held, or blinking; and what stands in one and not in the other as a list.
class ThenBench : public QWidget, public Bench {
    Q_OBJECT

  public:
    ThenBench(NightSession& session, SkyView& sky, QWidget* parent = nullptr);

    [[nodiscard]] BenchInfo info() const override;

    [[nodiscard]] QWidget* widget() override { return this; }

    void addCommands(Commands& commands) override;
    void setFrame(int index) override;
    void setShown(bool shown) override;

    [[nodiscard]] bool opensFor(const NightSnapshot*) const override { return false; }

  signals:
    /// A light of the list is to be measured.
    void measuring(const pathmark::SkyPos& place);

  private:
    enum Source { Survey, File, Frame };

    void layOut();
    void connectAll();
    void lay();
    void chooseFile();
    void setOver(bool isOver); ///< the older picture in the Sky
    void setBlinking(bool blinks);
    void showMarks();
    void showLights();
    void goTo(int row);
    void measure();
    void say(const QString& text, bool isProblem);

    NightSession& session_;
    SkyView& sky_;
    ThenSession& then_;
    SkyView* view_;
    QComboBox* source_;
    QLineEdit* address_;
    QPushButton* choose_;
    QPushButton* lay_;
    QPushButton* blink_;
    QPushButton* measure_;
    QSlider* rate_;
    QLabel* words_;
    QTableWidget* list_;
    QTimer blinking_;
    bool isShown_ = false;
    bool isOver_ = false;
};

} // namespace pathmark::desk
