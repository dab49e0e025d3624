#include "desk/report/mend_panel.h"

#include "desk/picture/named_controls.h"
#include "desk/theme/theme.h"

#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QLineEdit>
#include <QVBoxLayout>

#include <algorithm>
#include <set>

namespace pathmark::desk {
namespace {

using night::Mend;

/// The letters that reports know.
QStringList bandLetters() {
    return {"G", "V", "R", "r", "g", "i", "z", "w", "B", "I",
            "C", "L", "o", "y", "U", "u", "J", "H", "K", "W"};
}

} // namespace

MendPanel::MendPanel(QWidget* parent) : QWidget(parent), words_(new QLabel) {
    setObjectName("mendPanel");
    words_->setObjectName("mendWords");
    words_->setTextFormat(Qt::PlainText);
    words_->setWordWrap(true);
    words_->setTextInteractionFlags(Qt::TextSelectableByMouse);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(4);
    layout->addWidget(words_);
    layout->addWidget(buildMends());
    layout->addWidget(buildReason());
    hide();
}

QLineEdit* MendPanel::addLine(const char* name, const QString& accessible) {
    auto* line = new QLineEdit;
    line->setObjectName(name);
    line->setAccessibleName(accessible);
    line->installEventFilter(this);
    return line;
}

QPushButton* MendPanel::addButton(const char* name, const QString& words) {
    auto* button = namedButton(name);
    button->setText(words);
    button->setAccessibleName(words);
    return button;
}

QWidget* MendPanel::buildReason() {
    reasonRow_ = new QWidget;
    auto* row = new QHBoxLayout(reasonRow_);
    row->setContentsMargins(0, 0, 0, 0);
    reason_ = addLine("waiveReason", tr("Why the line is sent all the same"));
    reason_->setPlaceholderText(tr("why it is sent all the same (W)"));
    auto* one = addButton("waiveLine", tr("Send this one"));
    auto* all = addButton("waiveAll", tr("Send all such"));
    row->addWidget(reason_, 1);
    row->addWidget(one);
    row->addWidget(all);
    connect(one, &QPushButton::clicked, this, [this] { waive(false); });
    connect(all, &QPushButton::clicked, this, [this] { waive(true); });
    return reasonRow_;
}

QWidget* MendPanel::buildMends() {
    mendRow_ = new QWidget;
    auto* row = new QHBoxLayout(mendRow_);
    row->setContentsMargins(0, 0, 0, 0);
    band_ = namedChoice("mendBand", tr("Band of the line"), bandLetters());
    band_->installEventFilter(this);
    sayBand_ = addButton("sayBand", tr("Set band"));
    sayBandAll_ = addButton("sayBandAll", tr("Of all such"));
    placeAlone_ = addButton("placeAlone", tr("Place alone"));
    clock_ = addLine("mendClock", tr("Seconds that the clock may be off by"));
    clock_->setPlaceholderText(tr("clock ± s"));
    sayClock_ = addButton("sayClock", tr("Say so"));
    sayClockAll_ = addButton("sayClockAll", tr("Of all such"));
    name_ = addLine("mendName", tr("Your own name of the body"));
    name_->setPlaceholderText(tr("your own name"));
    sayName_ = addButton("sayName", tr("Name it"));
    facts_ = addButton("mendFacts", tr("What this night knows"));
    for (QWidget* widget : std::initializer_list<QWidget*>{band_,
                                                           sayBand_,
                                                           sayBandAll_,
                                                           placeAlone_,
                                                           clock_,
                                                           sayClock_,
                                                           sayClockAll_,
                                                           name_,
                                                           sayName_,
                                                           facts_}) {
        row->addWidget(widget);
    }
    row->addStretch(1);
    connect(sayBand_, &QPushButton::clicked, this, [this] {
        emit bandSaid(band_->currentText(), false);
    });
    connect(sayBandAll_, &QPushButton::clicked, this, [this] {
        emit bandSaid(band_->currentText(), true);
    });
    connect(placeAlone_, &QPushButton::clicked, this, &MendPanel::placeAloneSaid);
    connect(sayClock_, &QPushButton::clicked, this, [this] { sayClock(false); });
    connect(sayClockAll_, &QPushButton::clicked, this, [this] { sayClock(true); });
    connect(sayName_, &QPushButton::clicked, this, [this] {
        if (!name_->text().trimmed().isEmpty()) {
            emit nameSaid(name_->text().trimmed());
        }
    });
    connect(facts_, &QPushButton::clicked, this, &MendPanel::factsWanted);
    return mendRow_;
}

void MendPanel::setLine(const std::optional<night::ReportLine>& line, bool isCandidate) {
    QStringList words;
    std::set<Mend> mends;
    bool isOpen = false;
    if (line) {
        for (const night::Doubt& doubt : line->doubts) {
            const QString said = QString::fromStdString(doubt.words);
            words << (doubt.waived ? tr("✓ %1 Sent all the same: %2")
                                         .arg(said, QString::fromStdString(*doubt.waived))
                                   : "△ " + said);
            isOpen = isOpen || !doubt.waived;
            if (!doubt.waived) {
                for (const Mend mend : night::mendsOf(doubt.kind)) {
                    mends.insert(mend);
                }
            }
        }
        if (line->fate) {
            words << QString::fromStdString(line->fate->words);
        }
    }
    words_->setText(words.join('\n'));
    setTone(*words_, isOpen ? Tone::Text : Tone::Quiet);
    reasonRow_->setVisible(isOpen);
    const auto show = [&](Mend mend, std::initializer_list<QWidget*> widgets) {
        for (QWidget* widget : widgets) {
            widget->setVisible(mends.contains(mend));
        }
    };
    if (!isCandidate) {
        mends.erase(Mend::OwnName);
    }
    show(Mend::Band, {band_, sayBand_, sayBandAll_});
    show(Mend::NoMagnitude, {placeAlone_});
    show(Mend::ClockError, {clock_, sayClock_, sayClockAll_});
    show(Mend::OwnName, {name_, sayName_});
    show(Mend::Facts, {facts_});
    mends.erase(Mend::SendAgain); // that is what a reason does
    mendRow_->setVisible(!mends.empty());
    setVisible(!words.isEmpty());
}

void MendPanel::waive(bool everywhere) {
    const QString reason = reason_->text().trimmed();
    if (reason.isEmpty()) {
        reason_->setFocus();
        return;
    }
    reason_->clear();
    emit waived(reason, everywhere);
    emit left();
}

void MendPanel::sayClock(bool everywhere) {
    bool isNumber = false;
    const double seconds = clock_->text().trimmed().toDouble(&isNumber);
    if (!isNumber || !(seconds > 0.0)) {
        clock_->setFocus();
        clock_->selectAll();
        return;
    }
    emit clockErrorSaid(seconds, everywhere);
    emit left();
}

void MendPanel::askReason() {
    if (reasonRow_->isVisible()) {
        reason_->setFocus();
    }
}

void MendPanel::startMending() {
    for (QWidget* widget :
         std::initializer_list<QWidget*>{band_, placeAlone_, clock_, name_, facts_, reason_}) {
        if (widget->isVisible()) {
            widget->setFocus();
            return;
        }
    }
}

/// Enter says what stands in a line, Escape leaves it: both are keys of the window elsewhere.
bool MendPanel::eventFilter(QObject* object, QEvent* event) {
    if (event->type() != QEvent::ShortcutOverride && event->type() != QEvent::KeyPress) {
        return QWidget::eventFilter(object, event);
    }
    auto* key = static_cast<QKeyEvent*>(event);
    const bool isEnter = key->key() == Qt::Key_Return || key->key() == Qt::Key_Enter;
    if (!isEnter && key->key() != Qt::Key_Escape) {
        return QWidget::eventFilter(object, event);
    }
    event->accept();
    if (event->type() == QEvent::ShortcutOverride) {
        return true;
    }
    const bool everywhere = key->modifiers().testFlag(Qt::ShiftModifier);
    if (!isEnter) {
        emit left();
    } else if (object == reason_) {
        waive(everywhere);
    } else if (object == clock_) {
        sayClock(everywhere);
    } else if (object == name_) {
        sayName_->click();
    } else if (object == band_) {
        emit bandSaid(band_->currentText(), everywhere);
    }
    return true;
}

} // namespace pathmark::desk
