#include "desk/picture/film_bench.h"

#include "desk/picture/film_session.h"
#include "desk/picture/named_controls.h"
#include "desk/shell/commands.h"

#include <QCheckBox>
#include <QComboBox>
#include <QFileDialog>
#include <QFormLayout>
#include <QLabel>
#include <QListView>
#include <QPushButton>
#include <QSpinBox>
#include <QVBoxLayout>

namespace pathmark::desk {
namespace {

constexpr int kMostRunning = 100;
constexpr int kMostPace = 60;
constexpr int kMostPause = 50;
constexpr std::array kShapes{0.0, 4.0 / 3.0, 16.0 / 9.0, 1.0};
constexpr std::array kFilmMarks{
    &picture::Marks::path, &picture::Marks::scale, &picture::Marks::compass};

QSpinBox* number(const char* name, const QString& accessible, int least, int most, int value) {
    auto* box = new QSpinBox;
    box->setObjectName(name);
    box->setAccessibleName(accessible);
    box->setRange(least, most);
    box->setValue(value);
    box->setKeyboardTracking(false);
    return box;
}

} // namespace

FilmBench::FilmBench(NightSession& session, QWidget* parent)
    : QWidget(parent), session_(session), film_(*new FilmSession(session, this)),
      words_(new QLabel),
      holds_(namedChoice("filmHolds", tr("What stands still"), {tr("the body"), tr("the stars")})),
      shape_(namedChoice("filmShape",
                         tr("Shape of the film"),
                         {tr("as the frames"), tr("4 : 3"), tr("16 : 9"), tr("1 : 1")})),
      running_(number("filmRunning", tr("Frames added for each picture"), 1, kMostRunning, 1)),
      pace_(number("filmPace", tr("Pictures a second"), 1, kMostPace, 10)),
      pause_(number("filmPause", tr("Pause at both ends, tenths of a second"), 0, kMostPause, 5)),
      stamp_(new QCheckBox(tr("Time"))), play_(namedButton("filmPlay")),
      begins_(namedButton("filmBegins")), ends_(namedButton("filmEnds")),
      save_(namedButton("filmSave")) {
    setObjectName("filmBench");
    layOut();
    connect(&film_, &FilmSession::changed, this, &FilmBench::say);
    for (QComboBox* box : {holds_, shape_}) {
        connect(box, &QComboBox::activated, this, &FilmBench::read);
    }
    for (QSpinBox* box : {running_, pace_, pause_}) {
        connect(box, &QSpinBox::valueChanged, this, &FilmBench::read);
    }
    connect(stamp_, &QCheckBox::toggled, this, &FilmBench::read);
    for (QCheckBox* mark : marks_) {
        connect(mark, &QCheckBox::toggled, this, &FilmBench::read);
    }
    say();
}

void FilmBench::layOut() {
    words_->setObjectName("filmWords");
    words_->setWordWrap(true);
    words_->setTextFormat(Qt::PlainText);
    stamp_->setObjectName("filmStamp");
    stamp_->setChecked(film_.settings().hasStamp);
    auto* form = new QFormLayout;
    form->addRow(tr("Stands still"), holds_);
    form->addRow(tr("Frames added for each"), running_);
    form->addRow(tr("Pictures a second"), pace_);
    form->addRow(tr("Pause at the ends, 0.1 s"), pause_);
    form->addRow(tr("Shape"), shape_);
    auto* marks = new QHBoxLayout;
    marks->addWidget(stamp_);
    const std::array words{tr("Path"), tr("Scale"), tr("Compass")};
    for (std::size_t k = 0; k < marks_.size(); ++k) {
        marks_[k] = new QCheckBox(words[k]);
        marks_[k]->setObjectName(QStringLiteral("filmMark%1").arg(k));
        marks->addWidget(marks_[k]);
    }
    marks->addStretch();
    auto* ends = new QHBoxLayout;
    auto* buttons = new QHBoxLayout;
    for (QPushButton* each : {begins_, ends_}) {
        ends->addWidget(each);
    }
    ends->addStretch();
    for (QPushButton* each : {play_, save_}) {
        buttons->addWidget(each);
    }
    buttons->addStretch();
    auto* layout = new QVBoxLayout(this);
    layout->addWidget(words_);
    layout->addLayout(form);
    layout->addLayout(marks);
    layout->addLayout(ends);
    layout->addLayout(buttons);
    layout->addStretch();
}

BenchInfo FilmBench::info() const {
    return {"film", tr("Film of the motion"), Stage::Stack, {150, 820, 310}, Qt::SHIFT | Qt::Key_F};
}

void FilmBench::addCommands(Commands& commands) {
    const auto isThere = [this] { return isShown_ && session_.night() != nullptr; };
    const auto set = [this](int FilmSettings::*end) {
        FilmSettings settings = film_.settings();
        settings.*end = session_.currentFrame();
        film_.setSettings(settings);
    };
    commands.add({"film.play",
                  tr("Film"),
                  tr("Play and stop"),
                  {Qt::SHIFT | Qt::Key_Space},
                  [this] { film_.setPlaying(!film_.isPlaying()); },
                  isThere});
    commands.add({"film.begins",
                  tr("Film"),
                  tr("Begins with this frame"),
                  {Qt::CTRL | Qt::Key_Left},
                  [set] { set(&FilmSettings::first); },
                  isThere});
    commands.add({"film.ends",
                  tr("Film"),
                  tr("Ends with this frame"),
                  {Qt::CTRL | Qt::Key_Right},
                  [set] { set(&FilmSettings::last); },
                  isThere});
    commands.add({"film.save",
                  tr("Film"),
                  tr("Save the film"),
                  {Qt::CTRL | Qt::Key_S},
                  [this] { save(); },
                  [isThere, this] { return isThere() && film_.lights().size() > 1; }});
    commands.bind(*play_, "film.play", tr("Play"));
    commands.bind(*begins_, "film.begins", tr("Begins here"));
    commands.bind(*ends_, "film.ends", tr("Ends here"));
    commands.bind(*save_, "film.save", tr("Save…"));
}

void FilmBench::setShown(bool shown) {
    isShown_ = shown;
    film_.setWanted(shown);
}

void FilmBench::read() {
    FilmSettings settings = film_.settings();
    settings.holdsBody = holds_->currentIndex() == 0;
    settings.running = running_->value();
    settings.framesPerSecond = pace_->value();
    settings.pauseSeconds = 0.1 * pause_->value();
    settings.shape = kShapes[static_cast<std::size_t>(shape_->currentIndex())];
    settings.hasStamp = stamp_->isChecked();
    for (std::size_t k = 0; k < marks_.size(); ++k) {
        settings.marks.*kFilmMarks[k] = marks_[k]->isChecked();
    }
    film_.setSettings(settings);
}

void FilmBench::say() {
    play_->setText(film_.isPlaying() ? tr("Stop") : tr("Play"));
    if (!film_.state().isEmpty()) {
        words_->setText(film_.state());
        return;
    }
    const auto [made, wanted] = film_.made();
    const QString body = QString::fromStdString(session_.currentBody().text());
    QString words = body.isEmpty() ? tr("The film of the stars.") : tr("The film of %1.").arg(body);
    const auto lights = film_.lights();
    if (!lights.empty()) {
        words += " " + tr("Of the frames %1 to %2 in the Ribbon; %3 of them are used.")
                           .arg(lights.front() + 1)
                           .arg(lights.back() + 1)
                           .arg(lights.size());
    }
    if (made < wanted) {
        words += " " + tr("%1 of %2 pictures are made.").arg(made).arg(wanted);
    }
    if (film_.isWriting()) {
        words += " " + tr("It is being written.");
    }
    words_->setText(words);
}

void FilmBench::save() {
    const QString path = QFileDialog::getSaveFileName(
        this,
        tr("Save the film"),
        QString::fromStdString((session_.night()->out / "film.mp4").string()),
        tr("Films (*.mp4 *.webm *.gif)"));
    if (!path.isEmpty()) {
        film_.write(path);
    }
}

} // namespace pathmark::desk
