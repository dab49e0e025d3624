#pragma once

#include "desk/route/route_bar.h"
#include "desk/session/night_session.h"
#include "desk/shell/commands.h"
#include "desk/theme/theme.h"

#include <QMainWindow>
#include <QTimer>

#include <optional>

class QLabel;
class QProgressBar;
class QPushButton;
class QSplitter;
class QStackedWidget;
class QTableView;
class QToolButton;

namespace pathmark::desk {

class Neighbours;

class Bench;
class BodiesList;
class FrameRibbon;
class KeySheet;
class SkyView;

/// The window: Route above, Bodies left, Sky in the middle, Evidence or a bench right, Ribbon below.
class MainWindow : public QMainWindow {
    Q_OBJECT

  public:
    explicit MainWindow(QWidget* parent = nullptr);

    NightSession& session() { return session_; }

    Commands& commands() { return commands_; }

    void openNight(const QString& folderOrNight);

    /// What the line below the Sky says.
    [[nodiscard]] QString message() const;

  protected:
    void keyPressEvent(QKeyEvent* event) override;
    void keyReleaseEvent(QKeyEvent* event) override;
    void closeEvent(QCloseEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dropEvent(QDropEvent* event) override;

  private:
    void build();
    QWidget* buildTop();
    QWidget* buildFoot();
    void buildBenches();
    void connectParts();
    void addCommands();
    void addFrameCommands();
    void addSkyCommands();
    void addNightCommands();
    void addTableCommands();
    void addNeighbourCommands();
    void connectNeighbours();
    void sendMeasurements();
    void saveTable(const QTableView& table);
    void showTold(const SkyPos& place);
    void showStage(Stage stage);
    void showBench(Bench& bench);
    void showNight();
    void giveNight(); ///< to all views: each holds the night that is open
    void showMarks();
    void showRunning(bool running);
    void centreBody();
    void saveSnapshot();
    void cycleTheme();
    void setTextPercent(int percent);
    void setLook(Theme theme, int textPercent);
    void cycleQuality();
    void askFolder();
    void askRecipe();
    void say(const QString& text, bool problem);

    Commands commands_;
    NightSession session_;
    RouteBar* route_ = nullptr;
    BodiesList* bodies_ = nullptr;
    SkyView* sky_ = nullptr;
    FrameRibbon* ribbon_ = nullptr;
    QSplitter* splitter_ = nullptr;
    QStackedWidget* room_ = nullptr; ///< of the benches
    std::vector<Bench*> benches_;
    Bench* shown_ = nullptr;
    QLabel* cursorLine_ = nullptr;
    QLabel* message_ = nullptr;
    QProgressBar* progress_ = nullptr;
    QPushButton* runButton_ = nullptr;
    QToolButton* menuButton_ = nullptr;
    KeySheet* keys_ = nullptr;
    Neighbours* neighbours_ = nullptr;
    QString offered_; ///< a picture of another program
    QTimer player_;
    bool altAlone_ = false; ///< Alt is down, and nothing was pressed with it
};

} // namespace pathmark::desk
