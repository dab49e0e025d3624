#include "desk/window/main_window.h"

#include "desk/bodies/bodies_list.h"
#include "desk/ribbon/frame_ribbon.h"
#include "desk/session/message.h"
#include "desk/shell/bench.h"
#include "desk/shell/kept_state.h"
#include "desk/shell/key_sheet.h"
#include "desk/shell/log.h"
#include "desk/sky/sky_marks.h"
#include "desk/sky/sky_view.h"
#include "desk/theme/table_rows.h"
#include "desk/theme/theme.h"

#include <QApplication>
#include <QCloseEvent>
#include <QDragEnterEvent>
#include <QFileDialog>
#include <QFileInfo>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QMenu>
#include <QMessageBox>
#include <QMimeData>
#include <QPlainTextEdit>
#include <QProgressBar>
#include <QPushButton>
#include <QSplitter>
#include <QStackedWidget>
#include <QToolButton>
#include <QVBoxLayout>

#include <algorithm>
#include <cmath>
#include <utility>

namespace pathmark::desk {
namespace {

constexpr int kPlayMilliseconds = 160;

/// The widths of Bodies, Sky and bench with larger text: what holds words takes room of the Sky.
QList<int> grown(const QList<int>& widths) {
    const int bodies = static_cast<int>(scaled(widths.at(0)));
    const int bench = static_cast<int>(0.6 * widths.at(2) + 0.4 * scaled(widths.at(2)));
    return {bodies, widths.at(0) + widths.at(1) + widths.at(2) - bodies - bench, bench};
}

/// Whether a file is taken for a frame of the night that its folder is.
bool isFrameName(const QString& name) {
    static const QStringList endings{".fits", ".fit", ".fts", ".fits.fz", ".fits.gz", ".fit.gz"};
    return std::any_of(endings.begin(), endings.end(), [&](const QString& ending) {
        return name.endsWith(ending, Qt::CaseInsensitive);
    });
}

} // namespace

MainWindow::MainWindow(QWidget* parent) : QMainWindow(parent) {
    setWindowTitle("Path Mark");
    setAcceptDrops(true);
    setFocusPolicy(Qt::StrongFocus);
    build();
    addCommands();
    connectParts();
    resize(1280, 800);
    restoreGeometry(kept::geometry());
    showNight();
    showStage(Stage::Measure);
}

void MainWindow::build() {
    bodies_ = new BodiesList;
    sky_ = new SkyView;
    ribbon_ = new FrameRibbon;
    buildBenches();
    auto* middle = new QWidget;
    auto* middleLayout = new QVBoxLayout(middle);
    middleLayout->setContentsMargins(0, 0, 0, 0);
    middleLayout->setSpacing(0);
    middleLayout->addWidget(sky_, 1);
    middleLayout->addWidget(buildFoot());
    splitter_ = new QSplitter(Qt::Horizontal);
    splitter_->addWidget(bodies_);
    splitter_->addWidget(middle);
    splitter_->addWidget(room_);
    splitter_->setStretchFactor(1, 1);
    splitter_->setHandleWidth(1);
    auto* centre = new QWidget;
    auto* layout = new QVBoxLayout(centre);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(0);
    layout->addWidget(buildTop());
    layout->addWidget(splitter_, 1);
    layout->addWidget(ribbon_);
    setCentralWidget(centre);
    // The keys are the window's: what scrolls or lists must not take the arrows.
    for (auto* area : findChildren<QAbstractScrollArea*>()) {
        const bool isText = qobject_cast<QPlainTextEdit*>(area) != nullptr;
        area->setFocusPolicy(isText ? Qt::ClickFocus : Qt::NoFocus);
    }
    setFocus();
    keys_ = new KeySheet(commands_, this);
    player_.setInterval(kPlayMilliseconds);
}

void MainWindow::buildBenches() {
    room_ = new QStackedWidget;
    benches_ = allBenches({session_, *sky_, *this});
    for (Bench* bench : benches_) {
        bench->widget()->setAccessibleName(bench->info().title);
        room_->addWidget(bench->widget());
    }
}

QWidget* MainWindow::buildTop() {
    auto* top = new QWidget;
    auto* layout = new QHBoxLayout(top);
    layout->setContentsMargins(4, 4, 8, 2);
    route_ = new RouteBar;
    layout->addWidget(route_, 1);
    auto* open = new QPushButton(tr("Open…"));
    open->setObjectName("open");
    runButton_ = new QPushButton;
    runButton_->setObjectName("run");
    menuButton_ = new QToolButton;
    menuButton_->setObjectName("menu");
    menuButton_->setText(tr("Menu"));
    menuButton_->setPopupMode(QToolButton::InstantPopup);
    menuButton_->setToolButtonStyle(Qt::ToolButtonTextOnly);
    for (QAbstractButton* button :
         std::initializer_list<QAbstractButton*>{open, runButton_, menuButton_}) {
        button->setFocusPolicy(Qt::NoFocus);
        layout->addWidget(button);
    }
    return top;
}

QWidget* MainWindow::buildFoot() {
    auto* foot = new QWidget;
    auto* layout = new QVBoxLayout(foot);
    layout->setContentsMargins(8, 2, 8, 4);
    layout->setSpacing(2);
    auto* row = new QHBoxLayout;
    cursorLine_ = new QLabel;
    cursorLine_->setObjectName("cursorLine");
    cursorLine_->setMinimumWidth(10);
    auto* keys = new QLabel(tr("F1 keys"));
    setTone(*keys, Tone::Quiet);
    row->addWidget(cursorLine_, 1);
    row->addWidget(keys);
    message_ = new QLabel;
    message_->setObjectName("message");
    message_->setWordWrap(true);
    message_->setTextFormat(Qt::PlainText);
    message_->setMinimumHeight(message_->fontMetrics().height() * 2 + 2);
    message_->setAlignment(Qt::AlignTop);
    progress_ = new QProgressBar;
    progress_->setObjectName("progress");
    progress_->setTextVisible(false);
    progress_->hide();
    layout->addLayout(row);
    layout->addWidget(progress_);
    layout->addWidget(message_);
    return foot;
}

void MainWindow::connectParts() {
    connectNeighbours();
    connect(&session_, &NightSession::nightChanged, this, &MainWindow::showNight);
    connect(&session_, &NightSession::bodyChanged, this, [this] {
        bodies_->setInHand(session_.currentBody());
        showMarks();
    });
    connect(&session_, &NightSession::measurementsChanged, this, [this] {
        giveNight();
        showMarks();
    });
    connect(&session_, &NightSession::lightsLookedAt, this, &MainWindow::giveNight);
    connect(&session_, &NightSession::frameChanged, this, [this](int index) {
        ribbon_->setSelected(index);
        for (Bench* bench : benches_) {
            bench->setFrame(index);
        }
        showMarks();
    });
    connect(&session_,
            &NightSession::pictureChanged,
            this,
            [this](const std::shared_ptr<const Picture>& picture) {
                sky_->setPicture(picture);
                showMarks();
            });
    connect(&session_, &NightSession::runningChanged, this, &MainWindow::showRunning);
    connect(&session_,
            &NightSession::progressed,
            this,
            [this](const QString& stage, int done, int total, double left) {
                progress_->setMaximum(std::max(0, total));
                progress_->setValue(done);
                QString text =
                    total > 0 ? tr("%1: %2 of %3").arg(stage).arg(done).arg(total) : stage + " …";
                if (left >= 2.0) {
                    text += tr(", about %1 s left").arg(std::ceil(left), 0, 'f', 0);
                }
                say(text, false);
            });
    connect(&session_, &NightSession::newsTold, this, [this](const QString& text) {
        say(text, false);
    });
    connect(&session_, &NightSession::notified, this, [this](const QString& text) {
        say(text, false);
    });
    connect(&session_, &NightSession::factsAsked, this, [this] {
        commands_.trigger("bench.facts");
        say(tr("Some things only you can tell stand first on the right. Run again goes on without "
               "what is left open."),
            false);
    });
    connect(
        &session_, &NightSession::failed, this, [this](const QString& text) { say(text, true); });
    connect(ribbon_, &FrameRibbon::selectedChanged, &session_, &NightSession::setFrame);
    connect(ribbon_, &FrameRibbon::bracketDrawn, &session_, &NightSession::bracketStack);
    connect(ribbon_, &FrameRibbon::bracketClicked, &session_, &NightSession::dropBracket);
    connect(&session_, &NightSession::bracketStarted, ribbon_, &FrameRibbon::setBracketStart);
    connect(bodies_, &BodiesList::chosen, &session_, &NightSession::setBody);
    connect(route_, &RouteBar::stageChosen, this, &MainWindow::showStage);
    connect(sky_, &SkyView::cursorText, cursorLine_, &QLabel::setText);
    connect(splitter_, &QSplitter::splitterMoved, this, [this] {
        kept::setWidths(shown_->info().id, splitter_->sizes());
    });
    connect(&player_, &QTimer::timeout, this, [this] { session_.step(1); });
}

void MainWindow::openNight(const QString& given) {
    QString folderOrNight = given;
    const QFileInfo file(given);
    if (file.isFile() && isFrameName(file.fileName())) {
        folderOrNight = file.absolutePath();
        connect(
            &session_,
            &NightSession::nightChanged,
            this,
            [this, frame = file.absoluteFilePath()] { session_.setFrameByPath(frame); },
            Qt::SingleShotConnection);
    }
    if (!session_.isRunning()) {
        logEvent("opens " + folderOrNight);
        session_.open(folderOrNight);
        return;
    }
    auto* question = new QMessageBox(
        QMessageBox::Question,
        tr("A night is being run"),
        tr("Stop the run of %1 and open %2? What is finished is kept, and another run goes on from "
           "there.")
            .arg(session_.opened(), folderOrNight),
        QMessageBox::NoButton,
        this);
    question->setObjectName("stopAndOpen");
    question->setAttribute(Qt::WA_DeleteOnClose);
    question->addButton(tr("Stop and open"), QMessageBox::AcceptRole);
    question->addButton(tr("Go on running"), QMessageBox::RejectRole);
    connect(question, &QMessageBox::accepted, this, [this, folderOrNight] {
        logEvent("stops the run; opens " + folderOrNight);
        session_.open(folderOrNight);
    });
    question->open();
}

QString MainWindow::message() const {
    return message_->text();
}

void MainWindow::say(const QString& text, bool problem) {
    if (problem) {
        logProblem(text);
    }
    setTone(*message_, problem ? Tone::Disagrees : Tone::Quiet);
    message_->setText((problem ? "△ " : "") + text);
}

void MainWindow::giveNight() {
    const NightSnapshot* night = session_.night();
    route_->setNight(night);
    bodies_->setNight(night);
    ribbon_->setNight(night);
    for (Bench* bench : benches_) {
        bench->setNight(session_.snapshot());
    }
}

void MainWindow::showNight() {
    const NightSnapshot* night = session_.night();
    giveNight();
    showRunning(session_.isRunning());
    if (night == nullptr) {
        sky_->setEmptyText(
            tr("Open a folder of FITS frames (Ctrl+O), or drop one here.\n\n"
               "To look around first, make the demo night:  pathmark demo --out demo-night"));
        return;
    }
    kept::addRecentNight(session_.opened());
    if (night->isArchive && route_->stage() != Stage::Identify) {
        showStage(Stage::Identify);
    }
    setWindowTitle(QString("%1 — Path Mark").arg(QString::fromStdString(night->folder.string())));
    sky_->setEmptyText(night->lights.empty()
                           ? tr("There is no light frame with a time in this folder.")
                           : tr("Reading the frame …"));
    if (!session_.isRunning()) {
        if (night->isArchive) {
            say(tr("A list of an archive: choose a row to see its frame, with the body's place "
                   "marked."),
                false);
        } else if (night->frames.empty()) {
            say(tr("There is no frame in this folder. Open the one that holds the night's frames, "
                   "or "
                   "watch this one as it fills (Ctrl+W)."),
                true);
        } else if (night->measurements.empty()) {
            say(tr("%n frame(s)", nullptr, static_cast<int>(night->frames.size())) + ", " +
                    tr("%n light(s)", nullptr, static_cast<int>(night->lights.size())) + ". " +
                    tr("Run (Ctrl+R) calibrates, solves, identifies and measures."),
                false);
        } else {
            say(tr("%n light(s)", nullptr, static_cast<int>(night->lights.size())) + ", " +
                    tr("%n body(ies)", nullptr, static_cast<int>(night->bodies.size())) + ", " +
                    tr("%n measurement(s)", nullptr, static_cast<int>(night->measurements.size())) +
                    ".",
                false);
        }
    }
    showMarks();
}

void MainWindow::showMarks() {
    const NightSnapshot* night = session_.night();
    const Picture* picture = sky_->picture();
    const night::LightRecord* light = session_.currentLight();
    if (light == nullptr || picture == nullptr || !picture->wcs) {
        sky_->setMarks({});
    } else if (session_.showsStack()) {
        constexpr double pixelsAhead = 40.0;
        sky_->setMarks(stackMarks(session_.currentMeasurements(),
                                  Angle::arcsec(pixelsAhead * picture->wcs->scaleArcsec())));
    } else {
        sky_->setMarks(pathMarks(*night, light->series, light->frame, session_.currentBody()));
    }
}

void MainWindow::showRunning(bool running) {
    progress_->setVisible(running);
    runButton_->setText(running ? tr("Stop") : tr("Run"));
    runButton_->setEnabled(session_.night() != nullptr && !session_.night()->isArchive);
    const QString id = running ? "night.stop" : "night.run";
    runButton_->setAccessibleName(commands_.find(id)->words);
    runButton_->setToolTip(commands_.tooltip(id));
}

void MainWindow::showStage(Stage stage) {
    for (Bench* bench : benches_) {
        if (bench->info().stage == stage && bench->opensFor(session_.night())) {
            showBench(*bench);
            return;
        }
    }
}

void MainWindow::showBench(Bench& bench) {
    Bench* before = std::exchange(shown_, &bench);
    const BenchInfo info = bench.info();
    route_->setStage(info.stage);
    room_->setCurrentWidget(bench.widget());
    const QList<int> kept = kept::widths(info.id);
    splitter_->setSizes(kept.size() == info.widths.size() ? kept : grown(info.widths));
    if (before != nullptr && before != &bench) {
        before->setShown(false);
    }
    bench.setShown(true);
}

void MainWindow::centreBody() {
    const NightSnapshot* night = session_.night();
    const Picture* picture = sky_->picture();
    const night::LightRecord* light = session_.currentLight();
    if (light == nullptr || picture == nullptr || !picture->wcs) {
        return;
    }
    if (const auto* p = night->predictionOn(*light, session_.currentBody())) {
        if (const auto pixel = picture->wcs->toPixel(p->sky)) {
            sky_->centreOn(*pixel);
        }
    }
}

void MainWindow::cycleTheme() {
    const Theme next = currentTheme() == Theme::Dark   ? Theme::Dome
                       : currentTheme() == Theme::Dome ? Theme::Light
                                                       : Theme::Dark;
    kept::setTheme(static_cast<int>(next));
    setLook(next, currentTextPercent());
}

void MainWindow::setTextPercent(int percent) {
    kept::setTextPercent(percent);
    setLook(currentTheme(), percent);
}

void MainWindow::setLook(Theme theme, int textPercent) {
    applyTheme(*qApp, theme, textPercent);
    growRows(*this);
    bodies_->doItemsLayout();
    showBench(*shown_);
    for (Bench* bench : benches_) {
        bench->refreshColours();
    }
    update();
}

void MainWindow::cycleQuality() {
    const auto next =
        static_cast<RibbonQuality>((static_cast<int>(ribbon_->quality()) + 1) % kRibbonQualities);
    ribbon_->setQuality(next);
}

void MainWindow::askFolder() {
    const QString folder = QFileDialog::getExistingDirectory(this,
                                                             tr("Folder of the night's frames"),
                                                             {},
                                                             QFileDialog::ShowDirsOnly |
                                                                 QFileDialog::DontUseNativeDialog);
    if (!folder.isEmpty()) {
        openNight(folder);
    }
}

void MainWindow::askRecipe() {
    const QString path = QFileDialog::getOpenFileName(
        this, tr("Recipe"), {}, tr("Recipes (*.toml)"), nullptr, QFileDialog::DontUseNativeDialog);
    if (!path.isEmpty()) {
        session_.setRecipe(path);
        say(tr("Recipe: %1").arg(path), false);
    }
}

void MainWindow::closeEvent(QCloseEvent* event) {
    kept::setGeometry(saveGeometry());
    QMainWindow::closeEvent(event);
}

void MainWindow::resizeEvent(QResizeEvent* event) {
    keys_->setGeometry(rect());
    QMainWindow::resizeEvent(event);
}

void MainWindow::dragEnterEvent(QDragEnterEvent* event) {
    if (event->mimeData()->hasUrls()) {
        event->acceptProposedAction();
    }
}

void MainWindow::dropEvent(QDropEvent* event) {
    const auto urls = event->mimeData()->urls();
    if (!urls.isEmpty() && urls.front().isLocalFile()) {
        openNight(urls.front().toLocalFile());
    }
}

} // namespace pathmark::desk
