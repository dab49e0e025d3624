#include "desk/solve/star_table.h"

#include "desk/solve/star_table_model.h"
#include "desk/theme/table_rows.h"

#include <QButtonGroup>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QPushButton>
#include <QTableView>
#include <QVBoxLayout>

#include <optional>

namespace pathmark::desk {
namespace {

std::optional<solve::MatchStatus> statusOf(int index) {
    return index == 0 ? std::nullopt : std::optional(static_cast<solve::MatchStatus>(index - 1));
}

} // namespace

StarTable::StarTable(QWidget* parent) : QWidget(parent) {
    setObjectName("starTable");
    model_ = new StarTableModel(this);
    view_ = new QTableView;
    view_->setObjectName("starRows");
    view_->setAccessibleName(tr("Stars of the frame"));
    view_->setModel(model_);
    view_->setSortingEnabled(true);
    view_->sortByColumn(StarTableModel::Magnitude, Qt::AscendingOrder);
    view_->setSelectionBehavior(QAbstractItemView::SelectRows);
    view_->setSelectionMode(QAbstractItemView::SingleSelection);
    view_->verticalHeader()->hide();
    setRowHeight(*view_, 20);
    view_->horizontalHeader()->setSectionResizeMode(QHeaderView::Stretch);
    view_->horizontalHeader()->setSectionResizeMode(StarTableModel::Status, QHeaderView::Fixed);
    setColumnFor(*view_, StarTableModel::Status, "no source");
    view_->setShowGrid(false);
    view_->setToolTip(
        tr("RA, Dec: source minus star in arcseconds, and both in standard deviations."));
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(4, 4, 4, 4);
    auto* row = new QHBoxLayout;
    auto* group = new QButtonGroup(this);
    for (int i = 0; i < 6; ++i) {
        auto* button = new QPushButton;
        button->setCheckable(true);
        button->setFocusPolicy(Qt::NoFocus);
        button->setStyleSheet("padding: 4px 5px;"); // six of them stand in a row
        button->setObjectName(QString("starStatus%1").arg(i));
        const auto status = statusOf(i);
        button->setText(status ? QString(solve::name(*status))
                               : tr("all")); // the numbers come with the stars
        group->addButton(button, i);
        row->addWidget(button);
        statusButtons_[static_cast<std::size_t>(i)] = button;
    }
    statusButtons_[0]->setChecked(true);
    layout->addLayout(row);
    layout->addWidget(view_, 1);
    connect(group, &QButtonGroup::idClicked, this, &StarTable::showStatus);
    connect(view_->selectionModel(),
            &QItemSelectionModel::currentRowChanged,
            this,
            [this](const auto& now) {
                if (now.isValid() && !follows_) {
                    emit starChosen(model_->starOf(now.row()));
                }
            });
}

void StarTable::setStars(const std::shared_ptr<const night::FrameStars>& stars) {
    model_->setStars(stars);
    for (int i = 0; i < 6; ++i) {
        const auto status = statusOf(i);
        statusButtons_[static_cast<std::size_t>(i)]->setText(
            QString("%1 %2")
                .arg(status ? QString(solve::name(*status)) : tr("all"))
                .arg(model_->count(status)));
    }
}

void StarTable::showStatus(int status) {
    model_->setStatus(statusOf(status));
}

void StarTable::setChosen(int star) {
    const int row = model_->rowOf(star);
    if (row >= 0) {
        follows_ = true;
        view_->selectRow(row);
        follows_ = false;
    }
}

} // namespace pathmark::desk
