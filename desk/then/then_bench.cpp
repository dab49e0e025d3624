#include "desk/then/then_bench.h"

#include "core/base/sexagesimal.h"
#include "desk/picture/named_controls.h"
#include "desk/session/night_session.h"
#include "desk/shell/commands.h"
#include "desk/shell/words.h"
#include "desk/sky/sky_marks.h"
#include "desk/sky/sky_view.h"
#include "desk/theme/table_rows.h"
#include "desk/theme/theme.h"
#include "desk/then/then_session.h"

#include <QFileDialog>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QLineEdit>
#include <QSignalBlocker>
#include <QSlider>
#include <QTableWidget>
#include <QVBoxLayout>

#include <algorithm>

namespace pathmark::desk {
namespace {

constexpr int kShortest = 250; ///< milliseconds of each picture
constexpr int kLongest = 2000;
constexpr double kRingArcsec = 12.0;
constexpr int kListRows = 5;

enum Column { Place, SkyPlace, Snr, Over, Known, kColumns };

} // namespace

ThenBench::ThenBench(NightSession& session, SkyView& sky, QWidget* parent)
    : QWidget(parent), session_(session), sky_(sky), then_(*new ThenSession(session, this)),
      view_(new SkyView),
      source_(namedChoice("thenSource",
                          tr("Where the older picture comes from"),
                          {tr("sky survey"), tr("image"), tr("another frame")})),
      address_(new QLineEdit), choose_(namedButton("thenChoose")), lay_(namedButton("thenLay")),
      blink_(namedButton("thenBlink")), measure_(namedButton("thenMeasure")),
      rate_(new QSlider(Qt::Horizontal)), words_(new QLabel), list_(new QTableWidget) {
    setObjectName("thenBench");
    layOut();
    connectAll();
}

void ThenBench::layOut() {
    address_->setObjectName("thenAddress");
    address_->setAccessibleName(tr("Address, file or frame"));
    choose_->setText(tr("Choose…"));
    choose_->setAccessibleName(tr("Choose an image"));
    blink_->setCheckable(true);
    rate_->setObjectName("thenRate");
    rate_->setAccessibleName(tr("How fast the pictures change"));
    rate_->setRange(kShortest, kLongest);
    rate_->setInvertedAppearance(true);
    rate_->setValue(600);
    rate_->setFixedWidth(static_cast<int>(scaled(90)));
    view_->setObjectName("thenView");
    view_->setEmptyText(
        tr("Lay an older picture on the frame in hand: of a sky survey, an image, or "
           "another frame."));
    words_->setObjectName("thenWords");
    words_->setWordWrap(true);
    words_->setTextFormat(Qt::PlainText);
    list_->setObjectName("thenList");
    list_->setAccessibleName(tr("What stands in one and not in the other"));
    list_->setColumnCount(kColumns);
    list_->setHorizontalHeaderLabels(
        {QString(), tr("RA, Dec"), tr("S/N"), tr("over limit"), tr("known as")});
    list_->setSelectionBehavior(QAbstractItemView::SelectRows);
    list_->setSelectionMode(QAbstractItemView::SingleSelection);
    list_->setEditTriggers(QAbstractItemView::NoEditTriggers);
    list_->verticalHeader()->hide();
    list_->horizontalHeader()->setSectionResizeMode(SkyPlace, QHeaderView::Stretch);
    for (const auto& [column, widest] : {std::pair{Place, "then"},
                                         std::pair{Snr, "0000.0"},
                                         std::pair{Over, "over limit"},
                                         std::pair{Known, "(00000000)"}}) {
        setColumnFor(*list_, column, widest);
    }
    setRowHeight(*list_, 22);
    list_->setFixedHeight(static_cast<int>(scaled(22 * (kListRows + 1) + 8)));
    auto* from = new QHBoxLayout;
    from->addWidget(source_);
    from->addWidget(address_, 1);
    from->addWidget(choose_);
    from->addWidget(lay_);
    auto* acts = new QHBoxLayout;
    acts->addWidget(blink_);
    acts->addWidget(rate_);
    acts->addStretch();
    acts->addWidget(measure_);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(8, 6, 8, 6);
    layout->addLayout(from);
    layout->addWidget(view_, 1);
    layout->addLayout(acts);
    layout->addWidget(words_);
    layout->addWidget(list_);
}

void ThenBench::connectAll() {
    connect(source_, &QComboBox::currentIndexChanged, this, [this](int source) {
        address_->clear();
        if (source == Survey) {
            address_->setText(ThenSession::surveyAddress());
        }
        choose_->setVisible(source == File);
        address_->setPlaceholderText(source == Frame ? tr("file name of a light of this night")
                                                     : QString());
    });
    connect(choose_, &QPushButton::clicked, this, &ThenBench::chooseFile);
    connect(&then_, &ThenSession::laid, this, [this] {
        view_->setPicture(then_.picture());
        view_->setLook(sky_.look());
        showMarks();
        say(tr("%1. Held, %2 shows it in the Sky.").arg(then_.picture()->title, "V"), false);
    });
    connect(&then_, &ThenSession::compared, this, &ThenBench::showLights);
    connect(&then_, &ThenSession::failed, this, [this](const QString& why) { say(why, true); });
    connect(&then_,
            &ThenSession::progressed,
            this,
            [this](const QString& stage, int done, int total, double) {
                say(tr("%1: %2 of %3").arg(stage).arg(done).arg(total), false);
            });
    // Both look at the same part, and the cursor of one stands in the other.
    connect(&sky_, &SkyView::looked, this, [this] {
        if (isShown_) {
            view_->setLook(sky_.look());
        }
    });
    connect(view_, &SkyView::looked, this, [this] {
        if (isShown_ && view_->picture() != nullptr) {
            sky_.setLook(view_->look());
        }
    });
    connect(&sky_, &SkyView::cursorOver, this, [this](const SkyPos& place) {
        if (isShown_) {
            view_->setRing(SkyView::Ring{place, kRingArcsec});
        }
    });
    connect(view_, &SkyView::cursorOver, this, [this](const SkyPos& place) {
        if (isShown_) {
            sky_.setRing(SkyView::Ring{place, kRingArcsec});
        }
    });
    connect(&session_, &NightSession::bodyChanged, this, &ThenBench::showMarks);
    connect(&blinking_, &QTimer::timeout, this, [this] { setOver(!isOver_); });
    connect(
        rate_, &QSlider::valueChanged, this, [this](int value) { blinking_.setInterval(value); });
    connect(list_, &QTableWidget::currentCellChanged, this, [this](int row) { goTo(row); });
    choose_->hide();
}

BenchInfo ThenBench::info() const {
    return {"then", tr("Then and now"), Stage::Identify, {180, 560, 540}, Qt::SHIFT | Qt::Key_V};
}

void ThenBench::addCommands(Commands& commands) {
    const QString section = tr("Sky");
    const auto isSeen = [this] { return isShown_; };
    const auto hasPicture = [this] { return isShown_ && then_.picture() != nullptr; };
    commands.add({"then.lay",
                  section,
                  tr("Lay the older picture"),
                  {Qt::CTRL | Qt::Key_Return},
                  [this] { then_.isBusy() ? then_.stop() : lay(); },
                  isSeen});
    commands.add({"then.over",
                  section,
                  tr("Then (while held)"),
                  {Qt::Key_V},
                  [this] { setOver(true); },
                  hasPicture,
                  [this] { setOver(false); }});
    commands.add({"then.blink",
                  section,
                  tr("Blink, or stop"),
                  {Qt::CTRL | Qt::Key_B},
                  [this] { setBlinking(!blinking_.isActive()); },
                  hasPicture});
    commands.add({"then.measure",
                  section,
                  tr("Measure the light"),
                  {Qt::Key_Return},
                  [this] { measure(); },
                  hasPicture});
    commands.bind(*lay_, "then.lay", tr("Lay"));
    commands.bind(*blink_, "then.blink", tr("Blink"));
    commands.bind(*measure_, "then.measure", tr("Measure"));
    connect(this, &ThenBench::measuring, &commands, [&commands](const SkyPos&) {
        commands.trigger("bench.growth");
    });
}

void ThenBench::setShown(bool shown) {
    isShown_ = shown;
    if (!shown) {
        setBlinking(false);
        setOver(false);
        sky_.setRing({});
        return;
    }
    if (address_->text().isEmpty() && source_->currentIndex() == Survey) {
        address_->setText(ThenSession::surveyAddress());
    }
}

void ThenBench::setFrame(int) {
    // It was laid on another frame.
    setBlinking(false);
    then_.forget();
    isOver_ = false;
    view_->setPicture(nullptr);
    list_->setRowCount(0);
    words_->clear();
}

/// What is marked in the Sky stands in the older picture too.
void ThenBench::showMarks() {
    const night::LightRecord* light = session_.currentLight();
    if (light == nullptr || then_.picture() == nullptr) {
        view_->setMarks({});
        return;
    }
    view_->setMarks(
        pathMarks(*session_.night(), light->series, light->frame, session_.currentBody()));
}

void ThenBench::lay() {
    night::ThenSource source;
    const QString text = address_->text().trimmed();
    if (text.isEmpty()) {
        say(source_->currentIndex() == Survey
                ? tr("Give the address of a survey in the HiPS layout.")
                : tr("Choose an image or a frame."),
            true);
        return;
    }
    if (source_->currentIndex() == Survey) {
        source.survey = text.toStdString();
    } else if (source_->currentIndex() == File) {
        source.image = text.toStdString();
    } else {
        for (const night::LightRecord& light : session_.night()->lights) {
            if (light.raw.filename().string() == text.toStdString() && light.solved()) {
                source.light = light;
            }
        }
        if (!source.light) {
            say(tr("No solved light of this night has that name."), true);
            return;
        }
    }
    say(tr("Laying the older picture …"), false);
    then_.lay(source);
}

void ThenBench::chooseFile() {
    const QString file = QFileDialog::getOpenFileName(
        this, tr("Older image"), {}, {}, nullptr, QFileDialog::DontUseNativeDialog);
    if (!file.isEmpty()) {
        address_->setText(file);
    }
}

void ThenBench::setOver(bool isOver) {
    if (isOver == isOver_ || (isOver && then_.picture() == nullptr)) {
        return;
    }
    isOver_ = isOver;
    if (isOver) {
        session_.showAside(then_.picture());
    } else {
        session_.showFrame();
    }
}

void ThenBench::setBlinking(bool blinks) {
    blink_->setChecked(blinks);
    if (blinks) {
        blinking_.start(rate_->value());
    } else if (blinking_.isActive()) {
        blinking_.stop();
        setOver(false);
    }
}

void ThenBench::showLights() {
    const auto& lights = then_.lights();
    const QSignalBlocker quiet(list_);
    list_->setRowCount(static_cast<int>(lights.size()));
    for (int row = 0; row < list_->rowCount(); ++row) {
        const night::DifferingLight& light = lights[static_cast<std::size_t>(row)];
        const QStringList cells{light.isNew ? tr("now") : tr("then"),
                                QString::fromStdString(toHours(light.sky.longitude, 2) + "  " +
                                                       toDegrees(light.sky.latitude, 1)),
                                QString::number(light.snr, 'f', 1),
                                QString::number(light.overLimit, 'f', 1),
                                QString::fromStdString(light.known)};
        for (int column = 0; column < kColumns; ++column) {
            list_->setItem(row, column, new QTableWidgetItem(cells.at(column)));
        }
    }
    const auto now =
        std::count_if(lights.begin(), lights.end(), [](const auto& light) { return light.isNew; });
    say(tr("%1. %2 only now, %3 only then.")
            .arg(then_.picture()->title)
            .arg(now)
            .arg(static_cast<int>(lights.size()) - static_cast<int>(now)),
        false);
}

/// Both views go to a light of the list, with a ring about it.
void ThenBench::goTo(int row) {
    const auto& lights = then_.lights();
    if (row < 0 || static_cast<std::size_t>(row) >= lights.size()) {
        return;
    }
    const night::DifferingLight& light = lights[static_cast<std::size_t>(row)];
    const SkyView::Ring ring{light.sky, kRingArcsec};
    if (sky_.picture() != nullptr && sky_.picture()->wcs) {
        if (const auto pixel = sky_.picture()->wcs->toPixel(light.sky)) {
            sky_.centreOn(*pixel);
        }
    }
    sky_.setRing(ring);
    view_->setRing(ring);
}

/// The page that measures takes the light over; there it is given its name.
void ThenBench::measure() {
    const int row = std::max(0, list_->currentRow());
    const auto& lights = then_.lights();
    if (static_cast<std::size_t>(row) >= lights.size()) {
        return;
    }
    const SkyPos place = lights[static_cast<std::size_t>(row)].sky;
    setOver(false);
    emit measuring(place);
    sky_.clickPlace(place);
}

void ThenBench::say(const QString& text, bool isProblem) {
    setTone(*words_, isProblem ? Tone::Disagrees : Tone::Quiet);
    words_->setText((isProblem ? "△ " : "") + text);
}

} // namespace pathmark::desk
