#include "core/base/atomic_file.h"
#include "core/night/report/measurement_table.h"
#include "desk/neighbours/neighbours.h"
#include "desk/session/message.h"
#include "desk/shell/bench.h"
#include "desk/shell/table_text.h"
#include "desk/window/main_window.h"

#include <QApplication>
#include <QClipboard>
#include <QFileDialog>
#include <QStackedWidget>
#include <QTableView>

// What leaves the window for other programs, and what comes from them: tables, pictures, places.
namespace pathmark::desk {
namespace {

constexpr double kToldRingArcsec = 20.0;

/// The place that the observer has in hand: of the body on the light in hand, measured where it was, else predicted.
std::optional<SkyPos> placeInHand(const NightSession& session) {
    const NightSnapshot* night = session.night();
    const night::LightRecord* light = session.currentLight();
    if (night == nullptr || light == nullptr) {
        return std::nullopt;
    }
    for (const std::size_t i : night->measuredOf(session.currentBody())) {
        const night::MeasurementRecord& m = night->measurements[i];
        if (m.frame == light->frame && m.seen) {
            return m.sky;
        }
    }
    const auto* predicted = night->predictionOn(*light, session.currentBody());
    return predicted == nullptr ? std::nullopt : std::optional(predicted->sky);
}

} // namespace

void MainWindow::addTableCommands() {
    const QString section = tr("Tables");
    const auto table = [this]() -> QTableView* { return tableIn(*room_->currentWidget()); };
    const auto isThere = [this] { return tableIn(*room_->currentWidget()) != nullptr; };
    commands_.add({"table.copy",
                   section,
                   tr("Copy the table in hand"),
                   {Qt::CTRL | Qt::Key_C},
                   [this, table] {
                       QApplication::clipboard()->setText(copiedText(*table()));
                       say(tr("Copied: heads and cells, parted by tabs."), false);
                   },
                   isThere});
    commands_.add({"table.save",
                   section,
                   tr("Save the table in hand as CSV or VOTable"),
                   {Qt::CTRL | Qt::ALT | Qt::Key_S},
                   [this, table] { saveTable(*table()); },
                   isThere});
}

void MainWindow::saveTable(const QTableView& table) {
    const QString path = QFileDialog::getSaveFileName(this,
                                                      tr("Save the table"),
                                                      table.objectName() + ".csv",
                                                      tr("CSV (*.csv);;VOTable (*.vot *.xml)"),
                                                      nullptr,
                                                      QFileDialog::DontUseNativeDialog);
    if (path.isEmpty()) {
        return;
    }
    const auto written = writtenTable(*table.model(), table.accessibleName());
    const bool isVoTable = path.endsWith(".vot") || path.endsWith(".xml");
    const auto saved = writeWholeText(
        path.toStdString(), isVoTable ? catalog::toVoTable(written) : catalog::toCsv(written));
    say(saved ? tr("Saved %1").arg(path) : desk::message(saved.error()), !saved);
}

void MainWindow::addNeighbourCommands() {
    const QString section = tr("Other programs");
    const auto add =
        [&](const char* id, const QString& words, QKeyCombination key, std::function<void()> act) {
            commands_.add({QString("neighbours.") + id, section, words, {key}, std::move(act)});
        };
    add("join",
        tr("Join the other programs, or leave them"),
        Qt::CTRL | Qt::ALT | Qt::Key_J,
        [this] { neighbours_->isJoined() ? neighbours_->leave() : neighbours_->join(); });
    add("image", tr("Send them the frame in hand"), Qt::CTRL | Qt::ALT | Qt::Key_F, [this] {
        if (const night::LightRecord* light = session_.currentLight()) {
            const auto file = session_.showsStack() && !session_.stackInHand().path.empty()
                                  ? session_.stackInHand().path
                              : light->calibrated.empty() ? light->raw
                                                          : light->calibrated;
            neighbours_->sendImage(QString::fromStdString(file.string()));
        }
    });
    add("place",
        tr("Send them the place of the body in hand"),
        Qt::CTRL | Qt::ALT | Qt::Key_P,
        [this] {
            if (const auto place = placeInHand(session_)) {
                neighbours_->sendPlace(*place);
            }
        });
    add("table", tr("Send them the table of measurements"), Qt::CTRL | Qt::ALT | Qt::Key_T, [this] {
        sendMeasurements();
    });
    add("open", tr("Open the picture that they sent"), Qt::CTRL | Qt::ALT | Qt::Key_O, [this] {
        if (!offered_.isEmpty()) {
            openNight(std::exchange(offered_, QString()));
        }
    });
}

void MainWindow::sendMeasurements() {
    const NightSnapshot* night = session_.night();
    if (night == nullptr || night->measurements.empty()) {
        return;
    }
    const std::vector<night::MeasurementRecord> measurements(night->measurements.begin(),
                                                             night->measurements.end());
    const auto file = night->out / "measurements.vot";
    const auto written =
        writeWholeText(file, catalog::toVoTable(night::measurementTable(measurements)));
    if (!written) {
        say(desk::message(written.error()), true);
        return;
    }
    neighbours_->sendTable(QString::fromStdString(file.string()), tr("Measurements"));
}

void MainWindow::connectNeighbours() {
    neighbours_ = new Neighbours(session_.jobs(), this);
    connect(
        neighbours_, &Neighbours::said, this, [this](const QString& words) { say(words, false); });
    connect(
        neighbours_, &Neighbours::failed, this, [this](const QString& words) { say(words, true); });
    connect(neighbours_, &Neighbours::placeTold, this, &MainWindow::showTold);
    connect(neighbours_, &Neighbours::imageOffered, this, [this](const QString& file) {
        const NightSnapshot* night = session_.night();
        for (std::size_t i = 0; night != nullptr && i < night->lights.size(); ++i) {
            if (night->lights[i].raw == file.toStdString() ||
                night->lights[i].calibrated == file.toStdString()) {
                session_.setFrame(static_cast<int>(i));
                return;
            }
        }
        offered_ = file;
        say(tr("Another program sends %1: Ctrl+Alt+O opens it.").arg(file), false);
    });
}

/// A place that another program points at: a ring on the Sky, which goes there where the picture has it.
void MainWindow::showTold(const SkyPos& place) {
    sky_->setRing(SkyView::Ring{place, kToldRingArcsec});
    const Picture* picture = sky_->picture();
    const auto pixel =
        picture == nullptr || !picture->wcs ? std::nullopt : picture->wcs->toPixel(place);
    const bool isOn = pixel && picture->values.contains(static_cast<int>(std::lround(pixel->x)),
                                                        static_cast<int>(std::lround(pixel->y)));
    if (isOn) {
        sky_->centreOn(*pixel);
    }
    say(isOn ? tr("Another program points there.")
             : tr("Another program points at a place that this picture does not have."),
        false);
}

} // namespace pathmark::desk
