#pragma once

#include "desk/route/route_bar.h"
#include "desk/session/night_session.h"

#include <QMainWindow>
#include <QTimer>

class QLabel;
class QProgressBar;
class QPushButton;
class QScrollArea;
class QSplitter;
class QStackedWidget;

namespace pathmark::desk {

class ArchiveBench;
class BodiesList;
class EvidencePanel;
class FrameRibbon;
class GatherBench;
class HeaderPanel;
class KeyOverlay;
class MatchMap;
class OrbitBench;
class OrbitSession;
class ReportBench;
class SkyView;
class SolveController;
class StackBench;

/// The window: Route above, Bodies left, Sky in the middle, Evidence or a bench right, Ribbon below.
class MainWindow : public QMainWindow {
    Q_OBJECT

  public:
    explicit MainWindow(QWidget* parent = nullptr);

    NightSession& session() { return session_; }

    void openNight(const QString& folderOrNight);

    /// What the line below the Sky says.
    [[nodiscard]] QString message() const;

  protected:
    void keyPressEvent(QKeyEvent* event) override;
    void keyReleaseEvent(QKeyEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dropEvent(QDropEvent* event) override;

  private:
    void build();
    QWidget* buildTop();
    QWidget* buildFoot();
    void connectParts();
    void showStage(Stage stage);
    void showHeader();
    void showNight();
    void giveNight(); ///< to all views: each holds a pointer to the night that is open
    void showMarks();
    void showBody();
    void showRunning(bool running);
    void centreBody();
    void cycleTheme();
    void cycleQuality();
    void askFolder();
    void askRecipe();
    void say(const QString& text, bool problem);
    void chooseNext(int by);
    bool plainKey(int key);
    bool controlKey(int key, bool shift);

    NightSession session_;
    RouteBar* route_ = nullptr;
    BodiesList* bodies_ = nullptr;
    SkyView* sky_ = nullptr;
    FrameRibbon* ribbon_ = nullptr;
    QSplitter* splitter_ = nullptr;
    QStackedWidget* benches_ = nullptr;
    EvidencePanel* evidence_ = nullptr;
    GatherBench* gather_ = nullptr;
    HeaderPanel* header_ = nullptr;
    MatchMap* matchMap_ = nullptr;
    SolveController* solve_ = nullptr;
    OrbitSession* orbitSession_ = nullptr;
    OrbitBench* orbit_ = nullptr;
    ArchiveBench* archive_ = nullptr;
    StackBench* stack_ = nullptr;
    ReportBench* report_ = nullptr;
    QLabel* cursorLine_ = nullptr;
    QLabel* message_ = nullptr;
    QProgressBar* progress_ = nullptr;
    QPushButton* runButton_ = nullptr;
    KeyOverlay* keys_ = nullptr;
    QTimer player_;
};

} // namespace pathmark::desk
