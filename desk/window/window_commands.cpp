#include "desk/archive/archive_bench.h"
#include "desk/benches/gather_bench.h"
#include "desk/benches/report_bench.h"
#include "desk/bodies/bodies_list.h"
#include "desk/evidence/cutout_strip.h"
#include "desk/evidence/evidence_panel.h"
#include "desk/orbit/orbit_bench.h"
#include "desk/sky/sky_view.h"
#include "desk/solve/solve_controller.h"
#include "desk/window/key_overlay.h"
#include "desk/window/main_window.h"

#include <QKeyEvent>
#include <QStackedWidget>

#include <algorithm>

// The keys of the window; the overlay (key_overlay.cpp) lists the same ones.
namespace pathmark::desk {

void MainWindow::chooseNext(int by) {
    if (benches_->currentWidget() == orbit_) {
        orbit_->choose(std::max(0, orbit_->chosen() + by));
    } else {
        evidence_->choose(evidence_->strip().chosen() + by);
    }
}

bool MainWindow::plainKey(int key) {
    switch (key) {
    case Qt::Key_Left: session_.step(-1); return true;
    case Qt::Key_Right: session_.step(1); return true;
    case Qt::Key_Up: bodies_->step(-1); return true;
    case Qt::Key_Down: bodies_->step(1); return true;
    case Qt::Key_Home: session_.setFrame(0); return true;
    case Qt::Key_End: session_.setFrame(1 << 30); return true;
    case Qt::Key_Space: player_.isActive() ? player_.stop() : player_.start(); return true;
    case Qt::Key_X: session_.toggleExcluded(session_.frameInHand()); return true;
    case Qt::Key_Q: cycleQuality(); return true;
    case Qt::Key_L: gather_->leaveOut(); return true;
    case Qt::Key_I: showHeader(); return true;
    case Qt::Key_B: session_.setShowsRaw(true); return true;
    case Qt::Key_S: session_.setShowsStack(!session_.showsStack()); return true;
    case Qt::Key_C: centreBody(); return true;
    case Qt::Key_Comma: chooseNext(-1); return true;
    case Qt::Key_Period: chooseNext(1); return true;
    case Qt::Key_O: orbit_->toggleChosen(); return true;
    case Qt::Key_K: evidence_->keep(); return true;
    case Qt::Key_P: evidence_->park(); return true;
    case Qt::Key_D: evidence_->drop(); return true;
    case Qt::Key_Plus:
    case Qt::Key_Equal:
        sky_->zoomBy(1.25, QPointF(0.5 * sky_->width(), 0.5 * sky_->height()));
        return true;
    case Qt::Key_Minus:
        sky_->zoomBy(0.8, QPointF(0.5 * sky_->width(), 0.5 * sky_->height()));
        return true;
    case Qt::Key_F: sky_->fitAll(); return true;
    case Qt::Key_N: sky_->toggleNorthUp(); return true;
    case Qt::Key_H: sky_->setMarksHidden(true); return true;
    case Qt::Key_BracketLeft:
        session_.setBrightness(std::max(-10, session_.stretch().brightness - 1));
        return true;
    case Qt::Key_BracketRight:
        session_.setBrightness(std::min(10, session_.stretch().brightness + 1));
        return true;
    case Qt::Key_T: cycleTheme(); return true;
    case Qt::Key_Escape: session_.stop(); return true;
    case Qt::Key_F1:
        keys_->setGeometry(rect());
        keys_->raise();
        keys_->show();
        return true;
    default: break;
    }
    if (key >= Qt::Key_1 && key <= Qt::Key_7) {
        showStage(static_cast<Stage>(key - Qt::Key_1));
        return true;
    }
    return false;
}

bool MainWindow::controlKey(int key, bool shift) {
    switch (key) {
    case Qt::Key_O: shift ? askRecipe() : askFolder(); return true;
    case Qt::Key_R: session_.run(); return true;
    case Qt::Key_F: archive_->find(); return true;
    case Qt::Key_S: report_->save(); return true;
    case Qt::Key_Z: shift ? session_.redo() : session_.undo(); return true;
    case Qt::Key_Y: session_.redo(); return true;
    default: return false;
    }
}

void MainWindow::keyPressEvent(QKeyEvent* event) {
    if (keys_->isVisible()) {
        keys_->hide();
        return;
    }
    const bool control = (event->modifiers() & Qt::ControlModifier) != 0;
    const bool shift = (event->modifiers() & Qt::ShiftModifier) != 0;
    if (solve_->takeKey(event->key(), event->modifiers())) {
        return;
    }
    const bool taken = control ? controlKey(event->key(), shift) : plainKey(event->key());
    if (!taken) {
        QMainWindow::keyPressEvent(event);
    }
}

void MainWindow::keyReleaseEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_H && !event->isAutoRepeat()) {
        sky_->setMarksHidden(false);
    }
    if (event->key() == Qt::Key_B && !event->isAutoRepeat()) {
        session_.setShowsRaw(false);
    }
    QMainWindow::keyReleaseEvent(event);
}

} // namespace pathmark::desk
