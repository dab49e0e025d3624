#include "desk/window/main_window.h"

#include "desk/archive/archive_bench.h"
#include "desk/benches/gather_bench.h"
#include "desk/benches/header_panel.h"
#include "desk/benches/match_map.h"
#include "desk/benches/report_bench.h"
#include "desk/benches/stack_bench.h"
#include "desk/bodies/bodies_list.h"
#include "desk/evidence/cutout_strip.h"
#include "desk/evidence/evidence_panel.h"
#include "desk/orbit/orbit_bench.h"
#include "desk/orbit/orbit_session.h"
#include "desk/ribbon/frame_ribbon.h"
#include "desk/sky/sky_view.h"
#include "desk/solve/solve_bench.h"
#include "desk/solve/solve_controller.h"
#include "desk/theme/theme.h"
#include "desk/window/key_overlay.h"

#include <QApplication>
#include <QDragEnterEvent>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QLabel>
#include <QMimeData>
#include <QPlainTextEdit>
#include <QProgressBar>
#include <QPushButton>
#include <QScrollArea>
#include <QSplitter>
#include <QStackedWidget>
#include <QVBoxLayout>

#include <algorithm>
#include <cmath>

namespace pathmark::desk {
namespace {

constexpr int kPlayMilliseconds = 160;

QScrollArea* scrolled(QWidget* bench) {
    auto* area = new QScrollArea;
    area->setWidget(bench);
    area->setWidgetResizable(true);
    area->setFrameShape(QFrame::NoFrame);
    area->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    return area;
}

} // namespace

MainWindow::MainWindow(QWidget* parent) : QMainWindow(parent) {
    setWindowTitle("Path Mark");
    setAcceptDrops(true);
    setFocusPolicy(Qt::StrongFocus);
    build();
    connectParts();
    resize(1280, 800);
    showNight();
    showStage(Stage::Measure);
}

void MainWindow::build() {
    bodies_ = new BodiesList;
    sky_ = new SkyView;
    ribbon_ = new FrameRibbon;
    evidence_ = new EvidencePanel(session_);
    gather_ = new GatherBench(session_);
    header_ = new HeaderPanel;
    matchMap_ = new MatchMap;
    solve_ = new SolveController(session_, *sky_, this);
    orbitSession_ = new OrbitSession(session_, this);
    orbit_ = new OrbitBench(session_, *orbitSession_);
    archive_ = new ArchiveBench(session_);
    stack_ = new StackBench;
    report_ = new ReportBench(session_);
    benches_ = new QStackedWidget;
    // In the order of the numbers in showStage.
    benches_->addWidget(gather_);
    benches_->addWidget(scrolled(matchMap_));
    benches_->addWidget(solve_->bench());
    benches_->addWidget(evidence_);
    benches_->addWidget(scrolled(stack_));
    benches_->addWidget(report_);
    benches_->addWidget(header_);
    benches_->addWidget(orbit_);
    benches_->addWidget(archive_);
    auto* middle = new QWidget;
    auto* middleLayout = new QVBoxLayout(middle);
    middleLayout->setContentsMargins(0, 0, 0, 0);
    middleLayout->setSpacing(0);
    middleLayout->addWidget(sky_, 1);
    middleLayout->addWidget(buildFoot());
    splitter_ = new QSplitter(Qt::Horizontal);
    splitter_->addWidget(bodies_);
    splitter_->addWidget(middle);
    splitter_->addWidget(benches_);
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
    keys_ = new KeyOverlay(this);
    player_.setInterval(kPlayMilliseconds);
}

QWidget* MainWindow::buildTop() {
    auto* top = new QWidget;
    auto* layout = new QHBoxLayout(top);
    layout->setContentsMargins(4, 4, 8, 2);
    route_ = new RouteBar;
    layout->addWidget(route_, 1);
    auto* open = new QPushButton("Open…");
    open->setObjectName("open");
    open->setToolTip("Open a folder of frames (Ctrl+O)");
    runButton_ = new QPushButton("Run");
    runButton_->setObjectName("run");
    for (QPushButton* button : {open, runButton_}) {
        button->setFocusPolicy(Qt::NoFocus);
        layout->addWidget(button);
    }
    connect(open, &QPushButton::clicked, this, &MainWindow::askFolder);
    connect(runButton_, &QPushButton::clicked, this, [this] {
        session_.isRunning() ? session_.stop() : session_.run();
    });
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
    auto* keys = new QLabel("F1 keys");
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
    connect(&session_, &NightSession::nightChanged, this, &MainWindow::showNight);
    connect(&session_, &NightSession::bodyChanged, this, &MainWindow::showBody);
    connect(&session_, &NightSession::measurementsChanged, this, [this] {
        giveNight();
        showBody();
    });
    connect(&session_, &NightSession::frameChanged, this, [this](int index) {
        ribbon_->setSelected(index);
        solve_->bench()->setFrame(index);
        header_->setFrame(session_.night(), index);
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
                QString text = total > 0 ? QString("%1: %2 of %3").arg(stage).arg(done).arg(total)
                                         : stage + " …";
                if (left >= 2.0) {
                    text += QString(", about %1 s left").arg(std::ceil(left), 0, 'f', 0);
                }
                say(text, false);
            });
    connect(
        &session_, &NightSession::said, this, [this](const QString& text) { say(text, false); });
    connect(
        &session_, &NightSession::failed, this, [this](const QString& text) { say(text, true); });
    connect(matchMap_,
            &MatchMap::dragged,
            this,
            [this](std::size_t series, calibrate::Role role, std::optional<std::size_t> group) {
                const night::SeriesId id =
                    group ? session_.night()->groups[*group].id : night::SeriesId();
                session_.decideMatch(series, role, calibrate::Override{role, id});
            });
    connect(
        matchMap_, &MatchMap::takenBack, this, [this](std::size_t series, calibrate::Role role) {
            session_.decideMatch(series, role, std::nullopt);
        });
    connect(ribbon_, &FrameRibbon::selectedChanged, &session_, &NightSession::setFrame);
    connect(bodies_, &BodiesList::chosen, &session_, &NightSession::setBody);
    connect(route_, &RouteBar::stageChosen, this, &MainWindow::showStage);
    connect(sky_, &SkyView::cursorText, cursorLine_, &QLabel::setText);
    connect(&player_, &QTimer::timeout, this, [this] { session_.step(1); });
}

void MainWindow::openNight(const QString& folderOrNight) {
    session_.open(folderOrNight);
}

QString MainWindow::message() const {
    return message_->text();
}

void MainWindow::say(const QString& text, bool problem) {
    setTone(*message_, problem ? Tone::Disagrees : Tone::Quiet);
    message_->setText((problem ? "△ " : "") + text);
}

void MainWindow::giveNight() {
    const NightSnapshot* night = session_.night();
    route_->setNight(night);
    bodies_->setNight(night);
    ribbon_->setNight(night);
    gather_->setNight(night);
    matchMap_->setNight(night);
    solve_->bench()->setNight(night);
    archive_->refresh();
    report_->refresh();
}

void MainWindow::showNight() {
    const NightSnapshot* night = session_.night();
    giveNight();
    showRunning(session_.isRunning());
    if (night == nullptr) {
        sky_->setEmptyText(
            "Open a folder of FITS frames (Ctrl+O), or drop one here.\n\n"
            "To look around first, make the demo night:  pathmark demo --out demo-night");
        return;
    }
    if (night->isArchive && route_->stage() != Stage::Identify) {
        showStage(Stage::Identify);
    }
    setWindowTitle(QString("%1 — Path Mark").arg(QString::fromStdString(night->folder.string())));
    sky_->setEmptyText(night->lights.empty() ? "There is no light frame with a time in this folder."
                                             : "Reading the frame …");
    if (!session_.isRunning()) {
        if (night->isArchive) {
            say("A list of an archive: choose a row to see its frame, with the body's place "
                "marked.",
                false);
        } else if (night->measurements.empty()) {
            say(QString("%1 frames, %2 of them lights. Run (Ctrl+R) calibrates, solves, identifies "
                        "and measures.")
                    .arg(night->frames.size())
                    .arg(night->lights.size()),
                false);
        } else {
            say(QString("%1 lights, %2 bodies, %3 measurements.")
                    .arg(night->lights.size())
                    .arg(night->bodies.size())
                    .arg(night->measurements.size()),
                false);
        }
    }
    showMarks();
}

void MainWindow::showMarks() {
    solve_->showMarks();
    const NightSnapshot* night = session_.night();
    const Picture* picture = sky_->picture();
    if (night == nullptr || picture == nullptr || !picture->wcs || session_.frameInHand() < 0) {
        sky_->setMarks({});
        return;
    }
    const auto& light = night->lights[static_cast<std::size_t>(session_.frameInHand())];
    if (session_.showsStack()) {
        sky_->setMarks(stackMarks(session_.measurementsInHand(), *picture->wcs));
        return;
    }
    sky_->setMarks(
        pathMarks(*night, *picture->wcs, light.series, light.frame, session_.bodyInHand()));
}

void MainWindow::showBody() {
    bodies_->setInHand(session_.bodyInHand());
    showMarks();
    if (session_.night() == nullptr) {
        return;
    }
    for (const BodyView& body : session_.night()->bodies) {
        if (body.id == session_.bodyInHand()) {
            stack_->setBody(QString::fromStdString(body.name),
                            body.frameSnr,
                            body.stackSnr,
                            session_.measurementsInHand());
        }
    }
}

void MainWindow::showRunning(bool running) {
    progress_->setVisible(running);
    runButton_->setText(running ? "Stop" : "Run");
    runButton_->setEnabled(session_.night() != nullptr && !session_.night()->isArchive);
    runButton_->setToolTip(running ? "Stop; what is finished is kept (Esc)"
                                   : "Calibrate, solve, identify, stack, measure, report (Ctrl+R)");
}

void MainWindow::showStage(Stage stage) {
    static constexpr int page[kStageCount] = {0, 1, 2, 7, 4, 3, 5};
    route_->setStage(stage);
    benches_->setCurrentIndex(page[static_cast<int>(stage)]);
    if (stage == Stage::Identify && session_.night() != nullptr && session_.night()->isArchive) {
        benches_->setCurrentWidget(archive_);
    }
    // A report has long lines; the other benches are content with less.
    const bool wide = stage == Stage::Gather || stage == Stage::Calibrate ||
                      stage == Stage::Solve || stage == Stage::Identify;
    splitter_->setSizes(stage == Stage::Report ? QList<int>{170, 500, 610}
                        : wide                 ? QList<int>{180, 600, 500}
                                               : QList<int>{200, 750, 330});
    solve_->setShown(stage == Stage::Solve);
    orbitSession_->setWanted(stage == Stage::Identify);
    if (stage == Stage::Report) {
        report_->refresh();
    }
}

void MainWindow::showHeader() {
    benches_->setCurrentWidget(header_);
    splitter_->setSizes({180, 600, 500});
    header_->setFrame(session_.night(), session_.frameInHand());
}

void MainWindow::centreBody() {
    const NightSnapshot* night = session_.night();
    const Picture* picture = sky_->picture();
    if (night == nullptr || picture == nullptr || !picture->wcs || session_.frameInHand() < 0) {
        return;
    }
    const auto& light = night->lights[static_cast<std::size_t>(session_.frameInHand())];
    for (const auto& p : night->predictions) {
        if (p.body == session_.bodyInHand() && p.frame == light.frame) {
            if (const auto pixel = picture->wcs->toPixel(p.sky)) {
                sky_->centreOn(*pixel);
            }
        }
    }
}

void MainWindow::cycleTheme() {
    const Theme next = currentTheme() == Theme::Dark   ? Theme::Dome
                       : currentTheme() == Theme::Dome ? Theme::Light
                                                       : Theme::Dark;
    applyTheme(*qApp, next);
    evidence_->refresh();
    update();
}

void MainWindow::cycleQuality() {
    if (benches_->currentWidget() == gather_) {
        gather_->nextQuality();
        return;
    }
    const auto next =
        static_cast<RibbonQuality>((static_cast<int>(ribbon_->quality()) + 1) % kRibbonQualities);
    ribbon_->setQuality(next);
}

void MainWindow::askFolder() {
    const QString folder = QFileDialog::getExistingDirectory(this,
                                                             "Folder of the night's frames",
                                                             {},
                                                             QFileDialog::ShowDirsOnly |
                                                                 QFileDialog::DontUseNativeDialog);
    if (!folder.isEmpty()) {
        openNight(folder);
    }
}

void MainWindow::askRecipe() {
    const QString path = QFileDialog::getOpenFileName(
        this, "Recipe", {}, "Recipes (*.toml)", nullptr, QFileDialog::DontUseNativeDialog);
    if (!path.isEmpty()) {
        session_.setRecipe(path);
        say("Recipe: " + path, false);
    }
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
