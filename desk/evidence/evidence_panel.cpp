#include "desk/evidence/evidence_panel.h"

#include "core/base/sexagesimal.h"
#include "desk/evidence/cutout_strip.h"
#include "desk/evidence/place_on_frame.h"
#include "desk/evidence/residual_plot.h"
#include "desk/session/night_session.h"
#include "desk/shell/commands.h"
#include "desk/shell/scrolled.h"
#include "desk/shell/words.h"
#include "desk/theme/theme.h"

#include <QAbstractItemView>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLineEdit>
#include <QScrollArea>
#include <QVBoxLayout>

#include <utility>

namespace pathmark::desk {
namespace {

QString plusMinus(double value, int decimals) {
    return QString("± %1").arg(value, 0, 'f', decimals);
}

} // namespace

EvidencePanel::EvidencePanel(NightSession& session, QWidget* parent)
    : QWidget(parent), session_(session), title_(new QLabel),
      strip_(new CutoutStrip(session.jobs())), residuals_(new ResidualPlot), details_(new QLabel),
      keep_(new QPushButton), park_(new QPushButton), drop_(new QPushButton), why_(new QComboBox) {
    setObjectName("evidence");
    title_->setTextFormat(Qt::PlainText);
    details_->setTextFormat(Qt::RichText);
    details_->setWordWrap(true);
    details_->setAlignment(Qt::AlignTop);
    details_->setTextInteractionFlags(Qt::TextSelectableByMouse);
    keep_->setObjectName("keep");
    park_->setObjectName("park");
    drop_->setObjectName("drop");
    why_->setObjectName("judgeReason");
    why_->setAccessibleName(tr("Reason"));
    why_->setEditable(true);
    why_->setInsertPolicy(QComboBox::NoInsert);
    why_->addItems({tr("a star beside it"),
                    tr("a star passes over it"),
                    tr("cloud"),
                    tr("the mount moved"),
                    tr("a particle hit or a bad pixel"),
                    tr("not this body")});
    why_->lineEdit()->setAccessibleName(why_->accessibleName());
    why_->view()->setAccessibleName(why_->accessibleName());
    why_->lineEdit()->setPlaceholderText(tr("why: chosen, or in your own words"));
    why_->installEventFilter(this);
    why_->lineEdit()->installEventFilter(this);
    why_->hide();
    auto* scroll = new QScrollArea;
    scrollDownwards(*scroll, strip_);
    auto* buttons = new QHBoxLayout;
    for (QPushButton* button : {keep_, park_, drop_}) {
        button->setFocusPolicy(Qt::NoFocus);
        buttons->addWidget(button);
    }
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(8, 6, 8, 6);
    layout->addWidget(title_);
    layout->addWidget(scroll, 3);
    layout->addWidget(residuals_, 2);
    layout->addWidget(details_, 2);
    layout->addWidget(why_);
    layout->addLayout(buttons);
    connect(why_->lineEdit(), &QLineEdit::returnPressed, this, [this] {
        if (why_->isVisible()) { // a combo box hands the key to its line once more
            decide(whyState_, why_->currentText().trimmed());
            endWhy();
        }
    });
    connect(strip_, &CutoutStrip::chosenChanged, this, &EvidencePanel::choose);
    connect(residuals_, &ResidualPlot::picked, this, &EvidencePanel::choose);
    connect(&session_, &NightSession::bodyChanged, this, &EvidencePanel::refresh);
    connect(&session_, &NightSession::measurementsChanged, this, &EvidencePanel::refresh);
    refresh();
}

BenchInfo EvidencePanel::info() const {
    return {"measure", tr("Measure"), Stage::Measure, {200, 750, 330}};
}

void EvidencePanel::addCommands(Commands& commands) {
    const auto add = [&](const char* id, const QString& words, Qt::Key key, auto act) {
        commands.add({QString("measurement.") + id, tr("Measurements"), words, {key}, act});
    };
    add("previous", tr("Previous measurement"), Qt::Key_Comma, [this] {
        choose(strip_->chosen() - 1);
    });
    add("next", tr("Next measurement"), Qt::Key_Period, [this] { choose(strip_->chosen() + 1); });
    add("keep", tr("Keep: into the report"), Qt::Key_K, [this] { keep(); });
    add("park", tr("Park: not now, it stays in the list"), Qt::Key_P, [this] { park(); });
    add("drop", tr("Drop: out of the report"), Qt::Key_D, [this] { drop(); });
    const auto why = [&](const char* id, const QString& words, Qt::Key key, auto state) {
        commands.add({QString("measurement.") + id,
                      tr("Measurements"),
                      words,
                      {Qt::SHIFT | key},
                      [this, state] { askWhy(state); }});
    };
    why("parkWhy", tr("Park, with a reason"), Qt::Key_P, night::MeasurementState::Parked);
    why("dropWhy", tr("Drop, with a reason"), Qt::Key_D, night::MeasurementState::Dropped);
    commands.bind(*keep_, "measurement.keep", tr("Keep"));
    commands.bind(*park_, "measurement.park", tr("Park"));
    commands.bind(*drop_, "measurement.drop", tr("Drop"));
}

night::MeasurementRecord EvidencePanel::chosen() const {
    const auto index = static_cast<std::size_t>(strip_->chosen());
    return index < measurements_.size() ? measurements_[index] : night::MeasurementRecord{};
}

void EvidencePanel::refresh() {
    measurements_ = session_.currentMeasurements();
    const QString body = QString::fromStdString(session_.currentBody().text());
    title_->setText(body.isEmpty() ? tr("No body in hand") : body);
    QFont font = title_->font();
    font.setBold(true);
    title_->setFont(font);
    const QColor colour = body.isEmpty() ? colours().quiet : colours().inHand;
    const QString style = QString("color: %1").arg(colour.name());
    if (title_->styleSheet() != style) { // setting one is slow
        title_->setStyleSheet(style);
    }
    strip_->setMeasurements(measurements_);
    residuals_->setMeasurements(measurements_);
    show(strip_->chosen());
    if (std::exchange(body_, session_.currentBody()) != session_.currentBody()) {
        chooseIn(session_.currentFrame());
    }
}

void EvidencePanel::show(int index) {
    follows_ = true;
    strip_->setChosen(index);
    residuals_->setChosen(strip_->chosen());
    showDetails();
    follows_ = false;
}

void EvidencePanel::choose(int index) {
    if (follows_) {
        return;
    }
    show(index);
    if (const auto m = chosen(); !m.id.empty() && !m.onStack) {
        session_.setFrameOf(m.frame);
    }
}

void EvidencePanel::setFrame(int index) {
    chooseIn(index);
}

/// The measurement in a frame, where there is one.
void EvidencePanel::chooseIn(int index) {
    const NightSnapshot* night = session_.night();
    if (night == nullptr || index < 0) {
        return;
    }
    const auto& frame = night->lights[static_cast<std::size_t>(index)].frame;
    if (const int at = placeOnFrame(measurements_, frame); at >= 0) {
        show(at);
    }
}

void EvidencePanel::showDetails() {
    const auto m = chosen();
    const bool can = !m.id.empty() && m.seen;
    for (QPushButton* button : {keep_, park_, drop_}) {
        button->setEnabled(can);
    }
    if (m.id.empty()) {
        details_->setText(
            !session_.currentBody().isKnown()
                ? tr("Once the night has run (Ctrl+R), the body chosen on the left is shown here "
                     "through time.")
                : tr("This body has not been measured: it is beyond reach, or was not asked for."));
        return;
    }
    const QString quiet = colours().quiet.name();
    QString text = QString("<b>%1</b> UTC<br>").arg(timeWords(m.time, 1));
    text += m.onStack
                ? tr("stack of %n frame(s) on the motion", nullptr, m.frames) + "<br>"
                : QString("%1<br>").arg(QString::fromStdString(m.picture.filename().string()));
    if (m.seen) {
        text += tr("RA %1 %2″<br>Dec %3 %4″<br>")
                    .arg(QString::fromStdString(toHours(m.sky.longitude, 3)),
                         plusMinus(m.raErrorArcsec, 3),
                         QString::fromStdString(toDegrees(m.sky.latitude, 2)),
                         plusMinus(m.decErrorArcsec, 3));
        if (m.magnitude) {
            text += QString("%1 %2 mag · ")
                        .arg(QString::fromStdString(m.band),
                             magnitudeWords(*m.magnitude, m.magnitudeError));
        }
        text += QString("S/N %1<br>").arg(m.snr, 0, 'f', 1);
        text += QString("<span style='color:%1'>O−C %2″, %3″</span><br>")
                    .arg(quiet)
                    .arg(withSign(m.observedMinusComputedRa, 3),
                         withSign(m.observedMinusComputedDec, 3));
        text += QString("<b>%1</b>").arg(night::name(m.state));
    } else {
        text += tr("<b>not seen</b>");
        if (m.limit) {
            text += ", " + tr("fainter than %1 %2 mag")
                               .arg(QString::fromStdString(m.band))
                               .arg(*m.limit, 0, 'f', 2);
        }
    }
    if (!m.reason.empty()) {
        text += " — " + QString::fromStdString(m.reason).toHtmlEscaped();
    }
    details_->setText(text);
}

void EvidencePanel::decide(night::MeasurementState state, const QString& reason) {
    const auto m = chosen();
    if (!m.id.empty() && m.seen) {
        session_.judge(m.id, state, reason);
    }
}

/// The reason is typed, or chosen with the arrow keys, and Enter decides.
void EvidencePanel::askWhy(night::MeasurementState state) {
    if (chosen().id.empty() || !chosen().seen) {
        return;
    }
    whyState_ = state;
    why_->setCurrentIndex(-1);
    why_->clearEditText();
    why_->show();
    why_->setFocus();
}

void EvidencePanel::endWhy() {
    window()->setFocus(); // keys are the window's again, and no other field's
    why_->hide();
}

bool EvidencePanel::eventFilter(QObject* object, QEvent* event) {
    const bool isEscape = event->type() == QEvent::KeyPress &&
                          static_cast<QKeyEvent*>(event)->key() == Qt::Key_Escape;
    if (isEscape && why_->isVisible()) {
        endWhy();
        return true;
    }
    return QWidget::eventFilter(object, event);
}

void EvidencePanel::keep() {
    decide(night::MeasurementState::Kept);
}

void EvidencePanel::park() {
    decide(night::MeasurementState::Parked);
}

void EvidencePanel::drop() {
    decide(night::MeasurementState::Dropped);
}

} // namespace pathmark::desk
