#include "desk/archive/archive_bench.h"

#include "desk/archive/archive_model.h"
#include "desk/session/night_session.h"
#include "desk/shell/commands.h"
#include "desk/theme/table_rows.h"

#include <QHeaderView>
#include <QLabel>
#include <QLineEdit>
#include <QTableView>
#include <QVBoxLayout>

namespace pathmark::desk {

ArchiveBench::ArchiveBench(NightSession& session, QWidget* parent)
    : QWidget(parent), session_(session), model_(new ArchiveModel(this)), rows_(new QTableView),
      count_(new QLabel), filter_(new QLineEdit) {
    setObjectName("archiveBench");
    rows_->setObjectName("archiveRows");
    rows_->setAccessibleName(tr("Frames and bodies of the archive"));
    rows_->setModel(model_);
    rows_->setSortingEnabled(true);
    rows_->sortByColumn(ArchiveModel::Time, Qt::AscendingOrder);
    rows_->setSelectionBehavior(QAbstractItemView::SelectRows);
    rows_->setSelectionMode(QAbstractItemView::SingleSelection);
    rows_->verticalHeader()->hide();
    setRowHeight(*rows_, 20);
    rows_->horizontalHeader()->setSectionResizeMode(QHeaderView::Interactive);
    rows_->horizontalHeader()->setStretchLastSection(true);
    for (const auto& [column, widest] : {std::pair{ArchiveModel::Time, "2034-03-17 21:02"},
                                         {ArchiveModel::Body, "C/2033 T4 a"},
                                         {ArchiveModel::Magnitude, "99.99"},
                                         {ArchiveModel::Above, "above "},
                                         {ArchiveModel::Rate, "99.99"}}) {
        setColumnFor(*rows_, column, widest);
    }
    rows_->setShowGrid(false);
    rows_->setTextElideMode(Qt::ElideMiddle); // names of frames differ at their end
    rows_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    rows_->setFocusPolicy(Qt::NoFocus); // the window's keys stay its own
    rows_->setToolTip(tr("Above: magnitudes brighter than the faintest that the frame shows."));
    filter_->setObjectName("archiveFilter");
    filter_->setAccessibleName(tr("Find a body or a frame"));
    filter_->setPlaceholderText(tr("Find a body or a frame"));
    filter_->setClearButtonEnabled(true);
    filter_->setFocusPolicy(Qt::ClickFocus);
    connect(filter_, &QLineEdit::returnPressed, filter_, &QLineEdit::clearFocus);
    setTone(*count_, Tone::Quiet);
    count_->setObjectName("archiveCount");
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(8, 6, 8, 6);
    layout->addWidget(count_);
    layout->addWidget(filter_);
    layout->addWidget(rows_, 1);
    connect(filter_, &QLineEdit::textChanged, this, [this](const QString& text) {
        model_->setFilter(text);
        count();
    });
    connect(rows_->selectionModel(),
            &QItemSelectionModel::currentRowChanged,
            this,
            [this](const QModelIndex& now) {
                if (now.isValid()) {
                    choose(now.row());
                }
            });
    refresh();
}

void ArchiveBench::refresh() {
    const NightSnapshot* night = session_.night();
    model_->setNight(night != nullptr && night->isArchive ? night : nullptr);
    count();
}

BenchInfo ArchiveBench::info() const {
    return {"archive", tr("List of the archive"), Stage::Identify, {180, 600, 500}};
}

void ArchiveBench::addCommands(Commands& commands) {
    commands.add({"archive.find",
                  tr("Archive"),
                  tr("Find in the list"),
                  {Qt::CTRL | Qt::Key_F},
                  [this] { find(); },
                  [this] { return isVisible(); }});
}

void ArchiveBench::setNight(const std::shared_ptr<const NightSnapshot>&) {
    refresh();
}

void ArchiveBench::find() {
    filter_->setFocus(Qt::ShortcutFocusReason);
    filter_->selectAll();
}

void ArchiveBench::count() {
    const NightSnapshot* night = session_.night();
    if (night == nullptr || !night->isArchive) {
        return;
    }
    const auto gone = std::count_if(
        night->lights.begin(), night->lights.end(), [](const auto& l) { return !l.solved(); });
    QString text = tr("%n place(s)", nullptr, model_->rowCount()) + ", " +
                   tr("%n body(ies)", nullptr, static_cast<int>(night->bodies.size())) + ", " +
                   tr("%n frame(s)", nullptr, static_cast<int>(night->lights.size()));
    if (gone > 0) {
        text += "; " + tr("%n frame(s) missing or not solved", nullptr, static_cast<int>(gone));
    }
    count_->setText(text);
}

void ArchiveBench::choose(int row) {
    const auto& p = session_.night()->predictions[model_->predictionOf(row)];
    const QString frame = QString::fromStdString(p.file.string());
    session_.setBody(p.body);
    session_.setFrameByPath(frame);
}

} // namespace pathmark::desk
