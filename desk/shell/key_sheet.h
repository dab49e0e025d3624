#pragma once

#include <QWidget>

class QGridLayout;
class QLabel;
class QPushButton;
class QScrollArea;
class QVBoxLayout;

namespace pathmark::desk {

class Commands;
struct Command;

/// All commands with their keys on one sheet over the window, those of the page in hand first. A click on a key asks for another; Escape puts the sheet away.
class KeySheet : public QWidget {
    Q_OBJECT

  public:
    KeySheet(Commands& commands, QWidget* parent);

    /// Lays the sheet over its window.
    void open();

  protected:
    void paintEvent(QPaintEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;

  private:
    void rest();
    void fill();
    void addBlock(QVBoxLayout& layout, bool here);
    void addLine(QGridLayout& grid, const Command& command, int row, int column);
    void ask(const QString& id, QPushButton* button);
    void take(const QKeyEvent& event);

    Commands& commands_;
    QScrollArea* room_ = nullptr; ///< of the table
    QLabel* word_ = nullptr;
    QString asked_; ///< the command that waits for its key
};

} // namespace pathmark::desk
