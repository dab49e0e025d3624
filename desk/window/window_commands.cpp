#include "core/base/atomic_file.h"
#include "core/night/results_folder.h"
#include "desk/bodies/bodies_list.h"
#include "desk/session/message.h"
#include "desk/shell/bench.h"
#include "desk/shell/kept_state.h"
#include "desk/shell/key_sheet.h"
#include "desk/sky/sky_snapshot.h"
#include "desk/sky/sky_view.h"
#include "desk/window/main_window.h"

#include <QBuffer>
#include <QKeyEvent>
#include <QMenu>
#include <QToolButton>

#include <fmt/format.h>

#include <algorithm>
#include <utility>

// What can be done anywhere in the window; what belongs to a bench is registered by the bench.
namespace pathmark::desk {

void MainWindow::addFrameCommands() {
    const QString frames = tr("Frames");
    commands_.add({"frame.previous", frames, tr("Previous frame"), {Qt::Key_Left}, [this] {
                       session_.step(-1);
                   }});
    commands_.add(
        {"frame.next", frames, tr("Next frame"), {Qt::Key_Right}, [this] { session_.step(1); }});
    commands_.add({"frame.first", frames, tr("First frame"), {Qt::Key_Home}, [this] {
                       session_.setFrame(0);
                   }});
    commands_.add({"frame.last", frames, tr("Last frame"), {Qt::Key_End}, [this] {
                       session_.setFrame(1 << 30);
                   }});
    commands_.add({"frame.play", frames, tr("Play the night, or stop"), {Qt::Key_Space}, [this] {
                       player_.isActive() ? player_.stop() : player_.start();
                   }});
    commands_.add({"frame.leave-out",
                   frames,
                   tr("Leave the frame out, or take it back"),
                   {Qt::Key_X},
                   [this] { session_.toggleExcluded(session_.currentFrame()); }});
    commands_.add({"frame.quality", frames, tr("Next quality on the Ribbon"), {Qt::Key_Q}, [this] {
                       cycleQuality();
                   }});
    for (Bench* bench : benches_) {
        const BenchInfo info = bench->info();
        if (!info.key.isEmpty()) {
            commands_.add({"bench." + info.id, frames, info.title, {info.key}, [this, bench] {
                               showBench(*bench);
                               bench->setFrame(session_.currentFrame());
                           }});
        }
    }
    commands_.add({"frame.raw",
                   frames,
                   tr("Before calibration (while held)"),
                   {Qt::Key_B},
                   [this] { session_.setShowsRaw(true); },
                   {},
                   [this] { session_.setShowsRaw(false); }});
}

void MainWindow::addSkyCommands() {
    const QString sky = tr("Sky");
    const auto zoom = [this](double factor) {
        sky_->zoomBy(factor, QPointF(0.5 * sky_->width(), 0.5 * sky_->height()));
    };
    commands_.add({"sky.stack", sky, tr("Stack or frame"), {Qt::Key_S}, [this] {
                       session_.setShowsStack(!session_.showsStack());
                   }});
    commands_.add(
        {"sky.stack-map", sky, tr("Next map of the stack"), {Qt::SHIFT | Qt::Key_S}, [this] {
             session_.nextStackMap();
         }});
    commands_.add({"sky.centre", sky, tr("Body in hand to the middle"), {Qt::Key_C}, [this] {
                       centreBody();
                   }});
    commands_.add(
        {"sky.zoom-in", sky, tr("Zoom in"), {Qt::Key_Plus, Qt::Key_Equal}, [zoom] { zoom(1.25); }});
    commands_.add({"sky.zoom-out", sky, tr("Zoom out"), {Qt::Key_Minus}, [zoom] { zoom(0.8); }});
    commands_.add({"sky.whole", sky, tr("Whole picture"), {Qt::Key_F}, [this] { sky_->fitAll(); }});
    commands_.add({"sky.north", sky, tr("North up, or as the camera saw it"), {Qt::Key_N}, [this] {
                       sky_->toggleNorthUp();
                   }});
    commands_.add({"sky.darker", sky, tr("Darker"), {Qt::Key_BracketLeft}, [this] {
                       session_.setBrightness(std::max(-10, session_.stretch().brightness - 1));
                   }});
    commands_.add({"sky.brighter", sky, tr("Brighter"), {Qt::Key_BracketRight}, [this] {
                       session_.setBrightness(std::min(10, session_.stretch().brightness + 1));
                   }});
    commands_.add({"sky.hide-marks",
                   sky,
                   tr("Hide all marks (while held)"),
                   {Qt::Key_H},
                   [this] { sky_->setMarksHidden(true); },
                   {},
                   [this] { sky_->setMarksHidden(false); }});
    commands_.add({"sky.paths", sky, tr("Paths of the bodies, on or off"), {Qt::Key_J}, [this] {
                       sky_->setLayerShown(SkyView::Layer::Paths,
                                           !sky_->isLayerShown(SkyView::Layer::Paths));
                   }});
    commands_.add({"sky.snapshot",
                   sky,
                   tr("Keep what the Sky shows as a PNG"),
                   {Qt::CTRL | Qt::Key_P},
                   [this] { saveSnapshot(); },
                   [this] { return sky_->picture() != nullptr; }});
    const QString bodies = tr("Bodies");
    commands_.add({"body.previous", bodies, tr("Previous body"), {Qt::Key_Up}, [this] {
                       bodies_->step(-1);
                   }});
    commands_.add(
        {"body.next", bodies, tr("Next body"), {Qt::Key_Down}, [this] { bodies_->step(1); }});
}

void MainWindow::addNightCommands() {
    const QString night = tr("Night");
    commands_.add(
        {"night.open", night, tr("Open a folder of frames"), {Qt::CTRL | Qt::Key_O}, [this] {
             askFolder();
         }});
    commands_.add(
        {"night.recipe", night, tr("Choose a recipe"), {Qt::CTRL | Qt::SHIFT | Qt::Key_O}, [this] {
             askRecipe();
         }});
    commands_.add({"night.run",
                   night,
                   tr("Run the night, from calibrating to the report"),
                   {Qt::CTRL | Qt::Key_R},
                   [this] { session_.run(); }});
    commands_.add(
        {"night.watch", night, tr("Watch the folder, or stop"), {Qt::CTRL | Qt::Key_W}, [this] {
             session_.watch();
         }});
    commands_.add({"night.stop",
                   night,
                   tr("Stop the run; what is finished is kept"),
                   {Qt::Key_Escape},
                   [this] { session_.stop(); }});
    commands_.add(
        {"night.undo", night, tr("Undo"), {Qt::CTRL | Qt::Key_Z}, [this] { session_.undo(); }});
    commands_.add({"night.redo",
                   night,
                   tr("Redo"),
                   {Qt::CTRL | Qt::SHIFT | Qt::Key_Z, Qt::CTRL | Qt::Key_Y},
                   [this] { session_.redo(); }});
}

void MainWindow::addCommands() {
    addNightCommands();
    addFrameCommands();
    addSkyCommands();
    addTableCommands();
    addNeighbourCommands();
    for (Bench* bench : benches_) {
        bench->addCommands(commands_);
    }
    for (int i = 0; i < kStageCount; ++i) {
        const auto stage = static_cast<Stage>(i);
        commands_.add({QString("stage.%1").arg(i + 1),
                       tr("Window"),
                       tr("Stage: %1").arg(name(stage)),
                       {static_cast<Qt::Key>(Qt::Key_1 + i)},
                       [this, stage] { showStage(stage); }});
    }
    commands_.add({"window.theme", tr("Window"), tr("Dark, dome or light"), {Qt::Key_T}, [this] {
                       cycleTheme();
                   }});
    const auto text =
        [this](const char* id, const QString& words, const QList<QKeySequence>& keys, int step) {
            commands_.add({QString("window.text-") + id, tr("Window"), words, keys, [this, step] {
                               const int now = currentTextPercent();
                               setTextPercent(step == 0 ? 100 : std::clamp(now + step, 100, 150));
                           }});
        };
    text("larger", tr("Larger text"), {Qt::CTRL | Qt::Key_Plus, Qt::CTRL | Qt::Key_Equal}, 25);
    text("smaller", tr("Smaller text"), {Qt::CTRL | Qt::Key_Minus}, -25);
    text("normal", tr("Text of normal size"), {Qt::CTRL | Qt::Key_0}, 0);
    commands_.add({"window.menu", tr("Window"), tr("This menu"), {Qt::Key_F10}, [this] {
                       menuButton_->showMenu();
                   }});
    commands_.add(
        {"window.keys", tr("Window"), tr("All keys, and how to change them"), {Qt::Key_F1}, [this] {
             keys_->open();
         }});
    auto* menu = new QMenu(this);
    const auto fill = [this, menu] {
        menu->clear();
        commands_.fill(*menu);
        QMenu* recent = menu->addMenu(tr("Recent nights"));
        connect(recent, &QMenu::aboutToShow, this, [this, recent] {
            recent->clear();
            for (const QString& night : kept::recentNights()) {
                recent->addAction(night, this, [this, night] { openNight(night); });
            }
            if (recent->isEmpty()) {
                recent->addAction(tr("None yet"))->setEnabled(false);
            }
        });
    };
    fill();
    connect(&commands_, &Commands::keysChanged, menu, fill);
    menuButton_->setMenu(menu);
    menuButton_->setAccessibleName(tr("Menu"));
    menuButton_->setToolTip(tr("Everything that can be done (F10)"));
    commands_.bind(*findChild<QPushButton*>("open"), "night.open");
    connect(
        &commands_, &Commands::keysChanged, this, [this] { showRunning(session_.isRunning()); });
    connect(runButton_, &QPushButton::clicked, this, [this] {
        commands_.trigger(session_.isRunning() ? "night.stop" : "night.run");
    });
}

void MainWindow::keyPressEvent(QKeyEvent* event) {
    altAlone_ = event->key() == Qt::Key_Alt;
    if (!commands_.press(*event)) {
        QMainWindow::keyPressEvent(event);
    }
}

void MainWindow::keyReleaseEvent(QKeyEvent* event) {
    // Alt alone, as in other programs, opens the menu.
    if (event->key() == Qt::Key_Alt && std::exchange(altAlone_, false)) {
        menuButton_->showMenu();
    } else if (!commands_.release(*event)) {
        QMainWindow::keyReleaseEvent(event);
    }
}

/// Into the results, under a name of its own: one key, nothing to answer.
void MainWindow::saveSnapshot() {
    const NightSnapshot* night = session_.night();
    const night::LightRecord* light = session_.currentLight();
    if (night == nullptr || night->out.empty() || sky_->picture() == nullptr) {
        return;
    }
    const QString title = sky_->picture()->title;
    const std::string time = light != nullptr ? toIso(light->middle, 0) : std::string();
    QBuffer bytes;
    bytes.open(QIODevice::WriteOnly);
    QImage image = skySnapshot(*sky_,
                               QString("%1 · %2 · %3 UTC")
                                   .arg(title,
                                        QString::fromStdString(session_.currentBody().text()),
                                        QString::fromStdString(time)));
    for (Bench* bench : benches_) {
        if (SkyView* beside = bench->skyBeside()) {
            image = sideBySide(image, skySnapshot(*beside, beside->picture()->title));
        }
    }
    image.save(&bytes, "PNG");
    const auto folder = night->out / "snapshots";
    std::filesystem::path path;
    std::error_code status;
    for (int number = 1; path.empty() || std::filesystem::exists(path, status); ++number) {
        path = folder / fmt::format("{}_{:03}.png", night::fileWord(title.toStdString()), number);
    }
    auto written = makeFolder(folder);
    if (written) {
        written = writeWholeText(path, bytes.data().toStdString());
    }
    say(written ? tr("Written: %1").arg(QString::fromStdString(path.string()))
                : pathmark::desk::message(written.error()),
        !written);
}

} // namespace pathmark::desk
