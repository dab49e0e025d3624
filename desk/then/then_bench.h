#pragma once

#include "core/night/then_picture.h"
#include "desk/shell/bench.h"

#include <QTimer>
#include <QWidget>

#include <optional>

class QLabel;
class QPushButton;
class QSlider;

namespace pathmark::desk {

class ThenList;
class ThenSession;
class ThenSourceRow;

/// Then and now: an older picture of the same place beside the Sky, both looking at the same part of it; one over the other while a key is
/// held, or blinking; the one less the other; and what stands in one and not in the other as a list, with what was marked in either.
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

    [[nodiscard]] SkyView* skyBeside() override;

  signals:
    /// A light of the list is to be measured.
    void measuring(const pathmark::SkyPos& place);

  private:
    void layOut();
    void connectAll();
    void lay();
    void setOver(bool isOver); ///< the older picture in the Sky
    void setBlinking(bool blinks);
    void showDifference(bool shown);
    void showMarks();
    void showDiscs();
    void showLights();
    void setCircle();
    void goTo(const SkyPos& place);
    void measure();
    void say(const QString& text, bool isProblem);

    NightSession& session_;
    SkyView& sky_;
    ThenSession& then_;
    SkyView* view_;
    ThenSourceRow* source_;
    QPushButton* lay_;
    QPushButton* blink_;
    QPushButton* difference_;
    QPushButton* measure_;
    QSlider* rate_;
    QLabel* words_;
    ThenList* list_;
    std::optional<SkyPos> chosen_; ///< of the list
    QTimer blinking_;
    bool isShown_ = false;
    bool isOver_ = false;
};

} // namespace pathmark::desk
