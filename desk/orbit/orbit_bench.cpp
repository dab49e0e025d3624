#include "desk/orbit/orbit_bench.h"

#include "desk/orbit/orbit_plot.h"
#include "desk/orbit/orbit_session.h"
#include "desk/orbit/orbit_table.h"
#include "desk/orbit/orbit_words.h"
#include "desk/shell/commands.h"
#include "desk/shell/words.h"
#include "desk/theme/table_rows.h"
#include "desk/theme/theme.h"

#include <QHeaderView>
#include <QLabel>
#include <QTableView>
#include <QVBoxLayout>

#include <algorithm>

namespace pathmark::desk {
namespace {

QTableView* makeRows(OrbitTable* table) {
    auto* rows = new QTableView;
    rows->setObjectName("orbitRows");
    rows->setAccessibleName(Words::tr("Observations of the orbit"));
    rows->setModel(table);
    rows->setSelectionBehavior(QAbstractItemView::SelectRows);
    rows->setSelectionMode(QAbstractItemView::SingleSelection);
    rows->verticalHeader()->hide();
    setRowHeight(*rows, 20);
    rows->horizontalHeader()->setSectionResizeMode(QHeaderView::Stretch);
    for (const auto& [column, widest] :
         {std::pair{OrbitTable::Part, Words::tr("× left out,")},
          std::pair{OrbitTable::Time, QString("2034-03-17 00:00:00")},
          std::pair{OrbitTable::Station, Words::tr("code")}}) {
        rows->horizontalHeader()->setSectionResizeMode(column, QHeaderView::Fixed);
        setColumnFor(*rows, column, widest);
    }
    rows->setShowGrid(false);
    rows->setFocusPolicy(Qt::NoFocus);
    rows->setToolTip(
        Words::tr("Double-click takes an observation out of the orbit or back (O); comma and "
                  "full stop go through them."));
    return rows;
}

QLabel* makeWords(const char* name) {
    auto* label = new QLabel;
    label->setObjectName(name);
    label->setWordWrap(true);
    label->setTextFormat(Qt::RichText);
    label->setTextInteractionFlags(Qt::TextSelectableByMouse);
    label->setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Maximum);
    return label;
}

} // namespace

OrbitBench::OrbitBench(NightSession& session, QWidget* parent)
    : QWidget(parent), session_(session), orbit_(*new OrbitSession(session, this)),
      title_(makeWords("orbitTitle")), match_(makeWords("orbitMatch")), fit_(makeWords("orbitFit")),
      plot_(new OrbitPlot), table_(new OrbitTable(this)), rows_(makeRows(table_)),
      elements_(makeWords("orbitElements")) {
    setObjectName("orbitBench");
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(8, 6, 8, 6);
    layout->setSpacing(4);
    layout->addWidget(title_);
    layout->addWidget(match_);
    layout->addWidget(fit_);
    layout->addWidget(plot_, 3);
    layout->addWidget(rows_, 3);
    layout->addWidget(elements_);
    layout->addStretch(0); // where there is neither plot nor table the words stand at the top
    connect(&orbit_, &OrbitSession::changed, this, &OrbitBench::refresh);
    connect(plot_, &Plot::picked, this, [this](int sighting) {
        choose(sighting);
        toggle(sighting);
    });
    connect(rows_, &QTableView::doubleClicked, this, [this](const QModelIndex& at) {
        toggle(at.row());
    });
    connect(rows_->selectionModel(),
            &QItemSelectionModel::currentRowChanged,
            this,
            [this](const QModelIndex& now) {
                if (now.isValid() && !follows_) {
                    choose(now.row());
                }
            });
    refresh();
}

BenchInfo OrbitBench::info() const {
    return {"orbit", tr("Identify"), Stage::Identify, {180, 600, 500}};
}

void OrbitBench::addCommands(Commands& commands) {
    const auto isSeen = [this] { return isVisible(); };
    commands.add({"orbit.previous",
                  tr("Identify"),
                  tr("Previous observation"),
                  {Qt::Key_Comma},
                  [this] { choose(std::max(0, chosen_ - 1)); },
                  isSeen});
    commands.add({"orbit.next",
                  tr("Identify"),
                  tr("Next observation"),
                  {Qt::Key_Period},
                  [this] { choose(std::max(0, chosen_ + 1)); },
                  isSeen});
    commands.add({"orbit.switch",
                  tr("Identify"),
                  tr("Observation out of the orbit, or back"),
                  {Qt::Key_O},
                  [this] { toggleChosen(); },
                  isSeen});
}

void OrbitBench::setShown(bool shown) {
    orbit_.setWanted(shown);
}

void OrbitBench::refresh() {
    const auto& orbit = orbit_.orbit();
    const QString body = QString::fromStdString(session_.currentBody().text());
    title_->setText(body.isEmpty() ? tr("No body in hand")
                                   : QString("<b style='color:%1'>%2</b>")
                                         .arg(colours().inHand.name(), body.toHtmlEscaped()));
    match_->setText(session_.night() == nullptr
                        ? QString()
                        : matchWords(*session_.night(), session_.currentBody()));
    follows_ = true;
    table_->setOrbit(orbit);
    follows_ = false;
    plot_->setOrbit(orbit);
    plot_->setVisible(orbit && !orbit->judgement.residuals.empty());
    rows_->setVisible(orbit != nullptr);
    elements_->setVisible(orbit != nullptr);
    fit_->setText(
        (orbit ? fitWords(*orbit) : orbit_.state().toHtmlEscaped().replace("\n", "<br>")) +
        problemWords(orbit_.problems()));
    elements_->setText(orbit ? elementWords(*orbit) + boundsWords(*orbit) : QString());
    choose(chosen_);
}

void OrbitBench::choose(int sighting) {
    const int count = table_->rowCount();
    chosen_ = count == 0 ? -1 : std::clamp(sighting, -1, count - 1);
    plot_->setChosen(chosen_);
    follows_ = true;
    if (chosen_ >= 0) {
        rows_->setCurrentIndex(table_->index(chosen_, 0));
    }
    follows_ = false;
}

void OrbitBench::toggleChosen() {
    if (chosen_ >= 0) {
        toggle(chosen_);
    }
}

void OrbitBench::toggle(int sighting) {
    if (const auto& orbit = orbit_.orbit()) {
        orbit_.toggle(static_cast<int>(
            orbit->judgement.sightings[static_cast<std::size_t>(sighting)].source));
    }
}

} // namespace pathmark::desk
