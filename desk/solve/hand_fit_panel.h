#pragma once

#include <QWidget>

class QLabel;
class QPushButton;

namespace pathmark::desk {

class HandFitSession;

/// The live figures of the fit by hand, what the hand can do, and what to do with a locked fit.
class HandFitPanel : public QWidget {
    Q_OBJECT

  public:
    explicit HandFitPanel(HandFitSession& hand, QWidget* parent = nullptr);

    void refresh();

  private:
    class Meter;

    [[nodiscard]] QString figures() const;
    [[nodiscard]] QString lockedFigures() const;

    HandFitSession& hand_;
    Meter* meter_ = nullptr;
    QLabel* figures_ = nullptr;
    QLabel* result_ = nullptr;
    QPushButton* begin_ = nullptr;
    QPushButton* forget_ = nullptr;
    QPushButton* lock_ = nullptr;
    QPushButton* keep_ = nullptr;
    QPushButton* offer_ = nullptr;
    QPushButton* leave_ = nullptr;
};

} // namespace pathmark::desk
