#include "desk/report/sending_panel.h"

#include "desk/picture/named_controls.h"
#include "desk/report/sending_words.h"
#include "desk/theme/table_rows.h"
#include "desk/theme/theme.h"

#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QTableWidget>
#include <QVBoxLayout>

#include <algorithm>

namespace pathmark::desk {
namespace {

using night::Sending;
using night::SendingState;

constexpr int kShownRows = 4;
constexpr int kSendingRow = 22;

QString text(const std::string& words) {
    return QString::fromStdString(words);
}

} // namespace

SendingPanel::SendingPanel(QWidget* parent)
    : QWidget(parent), question_(new QLabel), questionRow_(new QWidget),
      table_(new QTableWidget(0, 5)), acts_(new QWidget) {
    setObjectName("sendingPanel");
    question_->setObjectName("sendQuestion");
    question_->setTextFormat(Qt::PlainText);
    question_->setWordWrap(true);
    auto* asked = new QHBoxLayout(questionRow_);
    asked->setContentsMargins(0, 0, 0, 0);
    auto* yes = namedButton("sendNow");
    yes->setText(tr("Send now  Enter"));
    yes->setAccessibleName(tr("Send now"));
    auto* no = namedButton("sendNot");
    no->setText(tr("Not yet  Esc"));
    no->setAccessibleName(tr("Not yet"));
    asked->addWidget(question_, 1);
    asked->addWidget(yes);
    asked->addWidget(no);
    connect(yes, &QPushButton::clicked, this, [this] {
        stopAsking();
        emit confirmed();
    });
    connect(no, &QPushButton::clicked, this, &SendingPanel::stopAsking);

    table_->setObjectName("sendings");
    table_->setAccessibleName(tr("Reports that were sent"));
    table_->setHorizontalHeaderLabels(
        {tr("Sent (UTC)"), tr("Lines"), tr("State"), tr("Receipt"), tr("What was said")});
    table_->verticalHeader()->hide();
    table_->horizontalHeader()->setStretchLastSection(true);
    table_->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
    table_->setSelectionBehavior(QAbstractItemView::SelectRows);
    table_->setSelectionMode(QAbstractItemView::SingleSelection);
    table_->setShowGrid(false);
    table_->setWordWrap(false);
    setRowHeight(*table_, kSendingRow);
    connect(table_, &QTableWidget::itemSelectionChanged, this, [this] {
        showButtons();
        if (const Sending* sending = current()) {
            emit chosen(text(sending->text) +
                        (sending->answer.empty() ? QString() : "\n" + text(sending->answer)));
        }
    });

    auto* acts = new QHBoxLayout(acts_);
    acts->setContentsMargins(0, 0, 0, 0);
    const auto add = [&](QPushButton*& button, const char* name, const QString& words) {
        button = namedButton(name);
        button->setText(words);
        button->setAccessibleName(words);
        acts->addWidget(button);
    };
    add(goOn_, "sendGoOn", tr("Go on with what is open"));
    add(arrived_, "sendArrived", tr("It arrived"));
    add(notArrived_, "sendNotArrived", tr("It did not arrive"));
    add(withdraw_, "sendWithdraw", tr("Take back"));
    acts->addStretch(1);
    connect(goOn_, &QPushButton::clicked, this, &SendingPanel::goOnWanted);
    connect(
        arrived_, &QPushButton::clicked, this, [this] { emit settled(text(current()->id), true); });
    connect(notArrived_, &QPushButton::clicked, this, [this] {
        emit settled(text(current()->id), false);
    });
    connect(
        withdraw_, &QPushButton::clicked, this, [this] { emit withdrawn(text(current()->id)); });

    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(4);
    layout->addWidget(questionRow_);
    layout->addWidget(table_);
    layout->addWidget(acts_);
    questionRow_->hide();
    setSendings({});
}

void SendingPanel::setSendings(std::vector<Sending> sendings) {
    const Sending* before = current();
    const std::string kept = before == nullptr ? std::string() : before->id;
    std::reverse(sendings.begin(), sendings.end());
    sendings_ = std::move(sendings);
    const QSignalBlocker still(table_);
    table_->setRowCount(static_cast<int>(sendings_.size()));
    table_->clearSelection();
    for (int row = 0; row < table_->rowCount(); ++row) {
        const Sending& s = sendings_[static_cast<std::size_t>(row)];
        const QStringList cells{text(s.at).left(16).replace('T', ' '),
                                QString::number(s.lines.size()),
                                stateWords(s.state),
                                text(s.receipt),
                                text(s.words)};
        for (int column = 0; column < cells.size(); ++column) {
            auto* item = new QTableWidgetItem(cells[column]);
            item->setToolTip(cells[column]);
            table_->setItem(row, column, item);
        }
        if (s.id == kept) {
            table_->selectRow(row);
        }
    }
    table_->resizeColumnsToContents();
    const int rows = std::min(kShownRows, std::max(1, table_->rowCount()));
    table_->setFixedHeight(table_->horizontalHeader()->sizeHint().height() +
                           rows * table_->verticalHeader()->defaultSectionSize() + 4);
    table_->setVisible(!sendings_.empty());
    showButtons();
}

const Sending* SendingPanel::current() const {
    const auto rows = table_->selectionModel()->selectedRows();
    return rows.isEmpty() || rows.front().row() >= static_cast<int>(sendings_.size())
               ? nullptr
               : &sendings_[static_cast<std::size_t>(rows.front().row())];
}

bool SendingPanel::hasOpen() const {
    return std::any_of(
        sendings_.begin(), sendings_.end(), [](const Sending& s) { return s.isOpen(); });
}

void SendingPanel::showButtons() {
    const Sending* sending = current();
    const bool isInDoubt = sending != nullptr && (sending->state == SendingState::Unsure ||
                                                  sending->state == SendingState::Underway);
    goOn_->setVisible(hasOpen());
    arrived_->setVisible(isInDoubt);
    notArrived_->setVisible(isInDoubt);
    withdraw_->setVisible(sending != nullptr && sending->state == SendingState::Waiting);
    for (QPushButton* button : {goOn_, arrived_, notArrived_, withdraw_}) {
        button->setEnabled(!busy_);
    }
    acts_->setVisible(hasOpen());
}

void SendingPanel::ask(const QString& words) {
    asking_ = true;
    question_->setText(words);
    questionRow_->show();
}

void SendingPanel::stopAsking() {
    asking_ = false;
    questionRow_->hide();
}

void SendingPanel::setBusy(bool busy) {
    busy_ = busy;
    showButtons();
}

} // namespace pathmark::desk
