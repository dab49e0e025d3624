#include "desk/report/report_bench.h"

#include "desk/report/mend_panel.h"
#include "desk/report/report_model.h"
#include "desk/report/report_session.h"
#include "desk/report/sending_panel.h"
#include "desk/session/message.h"
#include "desk/session/night_session.h"
#include "desk/shell/commands.h"
#include "desk/shell/words.h"
#include "desk/theme/table_rows.h"
#include "desk/theme/theme.h"

#include <QFileDialog>
#include <QFontDatabase>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QPainter>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QStackedWidget>
#include <QStyledItemDelegate>
#include <QTableView>
#include <QTimer>
#include <QVBoxLayout>

#include <utility>

namespace pathmark::desk {
namespace {

struct Format {
    report::Form form;
    const char* id;
    const char* label;
};

constexpr std::array kFormats{
    Format{report::Form::Psv, "psv", "ADES PSV"},
    Format{report::Form::Xml, "xml", "ADES XML"},
    Format{report::Form::EightyColumn, "80", QT_TRANSLATE_NOOP("Words", "80 columns")}};

constexpr int kCutoutSide = 46;

/// The cut-out in its cell, dimmed as all pictures are.
class CutoutDelegate : public QStyledItemDelegate {
  public:
    using QStyledItemDelegate::QStyledItemDelegate;

    void paint(QPainter* painter,
               const QStyleOptionViewItem& option,
               const QModelIndex& index) const override {
        const QRect box(option.rect.left() + 2,
                        option.rect.center().y() - kCutoutSide / 2,
                        kCutoutSide,
                        kCutoutSide);
        const auto image = index.data(Qt::DecorationRole).value<QImage>();
        if (image.isNull()) {
            painter->fillRect(box, colours().line);
        } else {
            painter->drawImage(box, image);
            dimPicture(*painter, box);
        }
    }
};

} // namespace

ReportBench::ReportBench(NightSession& session, QWidget* parent)
    : QWidget(parent), session_(session), report_(new ReportSession(session, this)),
      mend_(new MendPanel), sendings_(new SendingPanel) {
    setObjectName("reportBench");
    state_ = new QLabel;
    state_->setObjectName("reportState");
    state_->setWordWrap(true);
    pages_ = new QStackedWidget;
    pages_->addWidget(buildTable());
    pages_->addWidget(buildText());
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(8, 6, 8, 6);
    layout->addWidget(state_);
    layout->addWidget(pages_, 1);
    layout->addWidget(mend_);
    layout->addWidget(sendings_);
    layout->addWidget(buildFoot());
    connect(report_, &ReportSession::changed, this, &ReportBench::showMade);
    connect(report_, &ReportSession::failed, this, [this](const QString& words) {
        state_->setText("△ " + words);
        setTone(*state_, Tone::Disagrees);
    });
    connectMends();
    connectSending();
    setForm(report::Form::Psv);
}

QWidget* ReportBench::buildFoot() {
    auto* foot = new QWidget;
    auto* row = new QHBoxLayout(foot);
    row->setContentsMargins(0, 0, 0, 0);
    const auto add = [&](QPushButton*& button, const char* name) {
        button = new QPushButton;
        button->setObjectName(name);
        button->setFocusPolicy(Qt::NoFocus);
        row->addWidget(button);
    };
    add(turn_, "reportText");
    add(save_, "saveReport");
    add(mail_, "mailReport");
    add(send_, "sendReport");
    return foot;
}

void ReportBench::connectMends() {
    const auto current = [this]() -> const ReportModel::Line* {
        const int row = table_->currentIndex().row();
        return row >= 0 && row < model_->rowCount() ? &model_->line(row) : nullptr;
    };
    const auto onLine = [this, current](auto act) {
        return [this, current, act](auto... said) {
            if (const ReportModel::Line* line = current()) {
                act(*line, said...);
                backToLines();
            }
        };
    };
    connect(mend_,
            &MendPanel::waived,
            this,
            onLine([this](const ReportModel::Line& l, const QString& reason, bool everywhere) {
                report_->waive(l.line, reason, everywhere);
            }));
    connect(mend_,
            &MendPanel::bandSaid,
            this,
            onLine([this](const ReportModel::Line& l, const QString& band, bool everywhere) {
                report_->correct(l.line, everywhere, tr("band %1").arg(band), [&](auto& said) {
                    said.band = band.toStdString();
                });
            }));
    connect(mend_, &MendPanel::placeAloneSaid, this, onLine([this](const ReportModel::Line& l) {
                report_->correct(l.line, false, tr("place alone"), [](night::LineCorrection& said) {
                    said.withoutMagnitude = true;
                });
            }));
    connect(mend_,
            &MendPanel::clockErrorSaid,
            this,
            onLine([this](const ReportModel::Line& l, double seconds, bool everywhere) {
                report_->correct(l.line,
                                 everywhere,
                                 tr("clock ± %1 s").arg(seconds),
                                 [&](night::LineCorrection& said) { said.clockSeconds = seconds; });
            }));
    connect(mend_,
            &MendPanel::nameSaid,
            this,
            onLine([this](const ReportModel::Line& l, const QString& name) {
                report_->nameBody(l.measurement.body, name);
            }));
    connect(mend_, &MendPanel::factsWanted, &session_, &NightSession::factsAsked);
    connect(mend_, &MendPanel::left, this, &ReportBench::backToLines);
}

void ReportBench::connectSending() {
    connect(sendings_, &SendingPanel::confirmed, report_, &ReportSession::send);
    connect(sendings_, &SendingPanel::goOnWanted, report_, &ReportSession::goOn);
    connect(sendings_, &SendingPanel::settled, report_, &ReportSession::settle);
    connect(sendings_, &SendingPanel::withdrawn, report_, &ReportSession::withdraw);
    connect(sendings_, &SendingPanel::chosen, text_, &QPlainTextEdit::setPlainText);
    connect(report_, &ReportSession::sendingChanged, this, [this] {
        sendings_->setBusy(report_->isSending());
        showState();
    });
}

QWidget* ReportBench::buildTable() {
    model_ = new ReportModel(session_.jobs(), this);
    table_ = new QTableView;
    table_->setObjectName("reportLines");
    table_->setAccessibleName(tr("Lines of the report"));
    table_->setModel(model_);
    table_->setItemDelegateForColumn(ReportModel::Cutout, new CutoutDelegate(table_));
    table_->setSelectionBehavior(QAbstractItemView::SelectRows);
    table_->setSelectionMode(QAbstractItemView::SingleSelection);
    table_->setWordWrap(false);
    table_->setShowGrid(false);
    table_->verticalHeader()->hide();
    setRowHeight(*table_, kCutoutSide + 4);
    table_->horizontalHeader()->setStretchLastSection(true);
    table_->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    table_->setHorizontalScrollMode(QAbstractItemView::ScrollPerPixel);
    table_->setVerticalScrollMode(QAbstractItemView::ScrollPerPixel);
    connect(table_->selectionModel(),
            &QItemSelectionModel::currentRowChanged,
            this,
            [this](const QModelIndex& index) {
                choose(index.row());
                showLine();
            });
    return table_;
}

QWidget* ReportBench::buildText() {
    auto* page = new QWidget;
    auto* layout = new QVBoxLayout(page);
    layout->setContentsMargins(0, 0, 0, 0);
    auto* row = new QHBoxLayout;
    for (std::size_t i = 0; i < kFormats.size(); ++i) {
        formats_[i] = new QPushButton(Words::tr(kFormats[i].label));
        formats_[i]->setObjectName(QString("format_") + kFormats[i].id);
        formats_[i]->setAccessibleName(tr("Show as %1").arg(formats_[i]->text()));
        formats_[i]->setCheckable(true);
        formats_[i]->setFocusPolicy(Qt::NoFocus);
        row->addWidget(formats_[i]);
        connect(formats_[i], &QPushButton::clicked, this, [this, form = kFormats[i].form] {
            setForm(form);
        });
    }
    text_ = new QPlainTextEdit;
    text_->setAccessibleName(tr("The report as it is sent"));
    text_->setReadOnly(true);
    text_->setLineWrapMode(QPlainTextEdit::NoWrap);
    text_->setFont(QFontDatabase::systemFont(QFontDatabase::FixedFont));
    layout->addLayout(row);
    layout->addWidget(text_, 1);
    return page;
}

BenchInfo ReportBench::info() const {
    return {"report", tr("Report"), Stage::Report, {170, 490, 620}};
}

void ReportBench::addCommands(Commands& commands) {
    const QString section = tr("Report");
    const auto isShown = [this] { return isVisible(); };
    commands.add({"report.save",
                  section,
                  tr("Save the report into the results"),
                  {Qt::CTRL | Qt::Key_S},
                  [this] { save(); }});
    commands.add({"report.text",
                  section,
                  tr("Lines, or the text that is sent"),
                  {Qt::Key_E},
                  [this] { showText(!showsText()); },
                  isShown});
    const auto line = [&](const char* id, const QString& words, Qt::Key key, auto act) {
        commands.add({QString("report.") + id, section, words, {key}, act, isShown});
    };
    line("previous", tr("Line above"), Qt::Key_Up, [this] {
        choose(table_->currentIndex().row() - 1);
    });
    line("next", tr("Line below"), Qt::Key_Down, [this] {
        choose(table_->currentIndex().row() + 1);
    });
    line(
        "park", tr("Park the line"), Qt::Key_P, [this] { judge(night::MeasurementState::Parked); });
    line("drop", tr("Drop the line"), Qt::Key_D, [this] {
        judge(night::MeasurementState::Dropped);
    });
    commands.add({"report.next-doubt",
                  section,
                  tr("Next line to be checked"),
                  {Qt::SHIFT | Qt::Key_Down},
                  [this] { chooseDoubted(); },
                  isShown});
    commands.add({"report.waive",
                  section,
                  tr("Send the line all the same, with a reason"),
                  {Qt::Key_W},
                  [this] { mend_->askReason(); },
                  isShown});
    commands.add({"report.mend",
                  section,
                  tr("Mend the line"),
                  {Qt::Key_M},
                  [this] { mend_->startMending(); },
                  isShown});
    commands.add({"report.send",
                  section,
                  tr("Send the report"),
                  {Qt::CTRL | Qt::Key_Return},
                  [this] { askToSend(); },
                  isShown});
    commands.add({"report.mail",
                  section,
                  tr("Write the report as a mail"),
                  {Qt::CTRL | Qt::SHIFT | Qt::Key_M},
                  [this] { writeMail(); },
                  isShown});
    commands.add({"report.go-on",
                  section,
                  tr("Send what waits, ask about what is in doubt"),
                  {Qt::CTRL | Qt::SHIFT | Qt::Key_Return},
                  [this] { report_->goOn(); },
                  [this] { return isVisible() && sendings_->hasOpen(); }});
    const auto isAsking = [this] { return isVisible() && sendings_->isAsking(); };
    commands.add({"report.send-now",
                  section,
                  tr("Yes, send it now"),
                  {Qt::Key_Return},
                  [this] {
                      sendings_->stopAsking();
                      report_->send();
                  },
                  isAsking});
    commands.add({"report.send-not",
                  section,
                  tr("No, do not send it yet"),
                  {Qt::Key_Escape},
                  [this] { sendings_->stopAsking(); },
                  isAsking});
    commands.bind(*save_, "report.save", tr("Save"));
    commands.bind(*turn_, "report.text", tr("Text"));
    commands.bind(*send_, "report.send", tr("Send"));
    commands.bind(*mail_, "report.mail", tr("As a mail"));
}

void ReportBench::setNight(const std::shared_ptr<const NightSnapshot>& night) {
    night_ = night;
    stale_ = true;
    if (isVisible()) {
        refresh();
    }
}

void ReportBench::setShown(bool shown) {
    if (shown && stale_) {
        refresh();
    } else if (shown) {
        setFrame(session_.currentFrame());
    }
}

QString ReportBench::text() const {
    return text_->toPlainText();
}

bool ReportBench::showsText() const {
    return pages_->currentIndex() == 1;
}

void ReportBench::showText(bool shows) {
    pages_->setCurrentIndex(shows ? 1 : 0);
}

void ReportBench::setForm(report::Form form) {
    for (std::size_t i = 0; i < kFormats.size(); ++i) {
        formats_[i]->setChecked(form == kFormats[i].form);
    }
    report_->setForm(form);
}

void ReportBench::refresh() {
    stale_ = false;
    report_->setNight(night_);
    report_->refresh();
}

void ReportBench::showMade() {
    if (night_ == nullptr || night_->measurements.empty()) {
        state_->setText(tr("Nothing is measured yet. Run the night (Ctrl+R)."));
        text_->clear();
        model_->setLines({});
        sendings_->setSendings({});
        showLine();
        return;
    }
    const ReportSession::Made& made = report_->made();
    const int row = table_->currentIndex().row();
    follows_ = true;
    model_->setLines(made.lines);
    table_->resizeColumnsToContents();
    table_->setColumnWidth(ReportModel::Cutout, kCutoutSide + 4);
    if (row >= 0) {
        table_->selectRow(std::min(row, model_->rowCount() - 1));
    }
    follows_ = false;
    if (row < 0) {
        setFrame(session_.currentFrame());
    }
    text_->setPlainText(made.text ? QString::fromStdString(*made.text)
                                  : message(made.text.error()));
    sendings_->setSendings(made.sendings);
    showState();
    showLine();
}

void ReportBench::showState() {
    const ReportSession::Made& made = report_->made();
    if (!made.text) {
        state_->setText("△ " + message(made.text.error()));
        setTone(*state_, Tone::Disagrees);
        return;
    }
    QStringList words{tr("%n line(s)", nullptr, model_->rowCount()),
                      model_->warned() == 0 ? tr("nothing to be checked")
                                            : tr("%n to be checked", nullptr, model_->warned())};
    const int waiting = static_cast<int>(report_->toBeSent());
    if (waiting < model_->rowCount()) {
        words << (waiting == 0 ? tr("all sent") : tr("%n not sent yet", nullptr, waiting));
    }
    if (report_->isSending()) {
        words << tr("sending …");
    }
    state_->setText(words.join(", "));
    setTone(*state_, Tone::Quiet);
}

void ReportBench::showLine() {
    const int row = table_->currentIndex().row();
    if (row >= 0 && row < model_->rowCount()) {
        mend_->setLine(model_->line(row).line, model_->line(row).measurement.candidate);
    } else {
        mend_->setLine({}, false);
    }
    // What is to be mended takes room of the lines: the one in hand stays in sight.
    QTimer::singleShot(0, table_, [this] { table_->scrollTo(table_->currentIndex()); });
}

/// Nothing leaves without a look: what would go, and where to, and what still holds it.
void ReportBench::askToSend() {
    const ReportSession::Made& made = report_->made();
    const auto lines = static_cast<int>(report_->toBeSent());
    if (report_->isSending()) {
        emit session_.notified(tr("A report is on its way already."));
    } else if (lines == 0) {
        emit session_.notified(tr("Nothing is left to be sent."));
    } else if (report_->inDoubt() > 0) {
        emit session_.failed(tr("%n line(s) are in doubt: mend them (M), leave them out (P, D), or "
                                "send them all the same (W).",
                                nullptr,
                                static_cast<int>(report_->inDoubt())));
    } else if (made.address.empty()) {
        emit session_.failed(tr("There is no address of a report desk: name it as reports in "
                                "services.toml, or write a mail."));
    } else {
        const QString form = formats_[static_cast<std::size_t>(report_->form())]->text();
        sendings_->ask(tr("Send %n line(s) as %1 to %2?", nullptr, lines)
                           .arg(form, QString::fromStdString(made.address)));
    }
}

void ReportBench::writeMail() {
    if (report_->inDoubt() > 0 || report_->toBeSent() == 0) {
        askToSend(); // which says why not
        return;
    }
    const QString path =
        QFileDialog::getSaveFileName(this,
                                     tr("Write the report as a mail"),
                                     QString::fromStdString((night_->out / "report.eml").string()),
                                     tr("Mails (*.eml)"));
    if (!path.isEmpty()) {
        report_->writeMail(path);
    }
}

void ReportBench::backToLines() {
    table_->setFocus();
}

void ReportBench::choose(int row) {
    if (row < 0 || row >= model_->rowCount() || follows_) {
        return;
    }
    follows_ = true;
    table_->selectRow(row);
    const auto& m = model_->line(row).measurement;
    session_.setBody(m.body);
    if (m.onStack) {
        session_.setShowsStack(true);
    } else {
        session_.setFrameOf(m.frame);
    }
    follows_ = false;
}

/// From the line chosen on, and round again from the first.
void ReportBench::chooseDoubted() {
    const int rows = model_->rowCount();
    const int from = table_->currentIndex().row();
    for (int i = 1; i <= rows; ++i) {
        const int row = (from + i + rows) % rows;
        if (model_->line(row).line.isDoubted()) {
            choose(row);
            return;
        }
    }
    emit session_.notified(tr("No line is to be checked."));
}

void ReportBench::setFrame(int light) {
    if (follows_ || night_ == nullptr || light < 0 || !isVisible()) {
        return;
    }
    const auto& frame = night_->lights[static_cast<std::size_t>(light)].frame;
    for (const std::size_t i : night_->measuredOf(session_.currentBody())) {
        const auto& m = night_->measurements[i];
        if (m.frame == frame && !m.onStack) {
            follows_ = true;
            table_->selectRow(model_->rowOf(m.id));
            follows_ = false;
        }
    }
}

void ReportBench::judge(night::MeasurementState state) {
    const int row = table_->currentIndex().row();
    if (row >= 0 && row < model_->rowCount()) {
        session_.judge(model_->line(row).measurement.id, state);
    }
}

void ReportBench::save(const QString& path) {
    report_->save(path);
}

} // namespace pathmark::desk
