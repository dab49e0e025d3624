#include "desk/facts/facts_bench.h"

#include "desk/facts/earth_map.h"
#include "desk/facts/fact_row.h"
#include "desk/picture/named_controls.h"
#include "desk/session/known_facts.h"
#include "desk/session/message.h"
#include "desk/session/night_session.h"
#include "desk/shell/commands.h"
#include "desk/shell/scrolled.h"
#include "desk/theme/theme.h"

#include <QCheckBox>
#include <QFileDialog>
#include <QLabel>
#include <QLineEdit>
#include <QVBoxLayout>

#include <algorithm>

namespace pathmark::desk {
namespace {

using night::Fact;
using night::FactKind;

bool isSame(const Fact& a, const Fact& b) {
    return a.kind == b.kind && a.of == b.of;
}

/// Under which heading a fact stands.
QString headingOf(const Fact& fact) {
    if (fact.isAsked) {
        return FactsBench::tr("Only you can tell");
    }
    const QString of = QString::fromStdString(fact.of);
    switch (fact.kind) {
    case FactKind::Site:
    case FactKind::Pointing:
    case FactKind::Observer:
    case FactKind::Measurer: return FactsBench::tr("Site and people");
    case FactKind::Catalogue:
    case FactKind::Orbits:
    case FactKind::SiteCodes:
    case FactKind::EarthOrientation:
    case FactKind::LeapSeconds: return FactsBench::tr("Fetched data");
    case FactKind::Telescope:
    case FactKind::Aperture:
    case FactKind::FocalLength:
        return of.isEmpty() ? FactsBench::tr("Telescope") : FactsBench::tr("Telescope %1").arg(of);
    default: return of.isEmpty() ? FactsBench::tr("Camera") : FactsBench::tr("Camera %1").arg(of);
    }
}

} // namespace

FactsBench::FactsBench(NightSession& session, QWidget* parent)
    : QScrollArea(parent), session_(session), known_(session.knownFacts()), head_(new QLabel),
      rowsRoom_(new QWidget), fetches_(new QCheckBox(tr("Fetch what is missing"))),
      fetch_(namedButton("fetchFacts")), run_(namedButton("runFacts")) {
    setObjectName("factsBench");
    layOut();
    connect(&known_, &KnownFacts::changed, this, &FactsBench::showFacts);
    connect(&known_, &KnownFacts::fetchingChanged, this, [this](bool fetching) {
        fetch_->setText(fetching ? tr("Stop fetching") : tr("Fetch now"));
    });
    connect(fetches_, &QCheckBox::toggled, &known_, &KnownFacts::setFetches);
}

void FactsBench::layOut() {
    auto* content = new QWidget;
    auto* layout = new QVBoxLayout(content);
    layout->setContentsMargins(8, 6, 8, 6);
    layout->setSpacing(6);
    head_->setObjectName("factsHead");
    head_->setWordWrap(true);
    rowsLayout_ = new QVBoxLayout(rowsRoom_);
    rowsLayout_->setContentsMargins(0, 0, 0, 0);
    rowsLayout_->setSpacing(2);
    fetches_->setObjectName("fetchesFacts");
    fetches_->setAccessibleName(fetches_->text());
    fetches_->setToolTip(tr("A run fetches stars, orbits and tables from the services of "
                            "services.toml where they are not here or old."));
    auto* foot = new QHBoxLayout;
    foot->addWidget(fetches_, 1);
    foot->addWidget(fetch_);
    foot->addWidget(run_);
    layout->addWidget(head_);
    layout->addLayout(foot);
    layout->addWidget(rowsRoom_);
    layout->addStretch();
    scrollDownwards(*this, content);
}

BenchInfo FactsBench::info() const {
    return {"facts",
            tr("What this night knows"),
            Stage::Gather,
            {180, 560, 540},
            Qt::CTRL | Qt::SHIFT | Qt::Key_R};
}

void FactsBench::addCommands(Commands& commands) {
    commands.add({"facts.fetch",
                  tr("Night"),
                  tr("Fetch what is missing"),
                  {Qt::Key_F5},
                  [this] { known_.isFetching() ? known_.stopFetching() : known_.fetch(); },
                  [this] { return isVisible(); }});
    commands.bind(*fetch_, "facts.fetch", tr("Fetch now"));
    commands.bind(*run_, "night.run", tr("Run"));
}

void FactsBench::setShown(bool shown) {
    if (shown) {
        showFacts();
        focusFirst();
    }
}

/// The first thing that is asked takes the keys.
void FactsBench::focusFirst() {
    const auto asked = std::find_if(
        rows_.begin(), rows_.end(), [](const FactRow* row) { return row->fact().isAsked; });
    if (asked != rows_.end()) {
        (*asked)->line()->setFocus();
        (*asked)->line()->selectAll(); // what is typed takes its place
    }
}

void FactsBench::showFacts() {
    const night::NightFacts* facts = known_.facts();
    const NightSnapshot* night = session_.night();
    rowsRoom_->setVisible(facts != nullptr);
    fetch_->setEnabled(facts != nullptr);
    run_->setEnabled(night != nullptr && !night->isArchive);
    fetches_->setChecked(known_.fetches());
    if (facts == nullptr) {
        head_->setText(night == nullptr ? tr("No night is open.")
                       : night->isArchive
                           ? tr("This is a list of an archive.")
                           : tr("This night has a recipe of its own: %1")
                                 .arg(QString::fromStdString(night->recipePath.string())));
        return;
    }
    const std::vector<Fact> list = facts->list();
    const auto asked =
        std::count_if(list.begin(), list.end(), [](const Fact& fact) { return fact.isAsked; });
    head_->setText(asked == 0 ? tr("All that a report needs is known. What is changed here is kept "
                                   "for the nights to come.")
                              : tr("%n thing(s) only you can tell. Asked once, kept for the nights "
                                   "to come. Run goes on without what is left open.",
                                   nullptr,
                                   static_cast<int>(asked)));
    const bool isSameList = rows_.size() == list.size() &&
                            std::all_of(rows_.begin(), rows_.end(), [&](const FactRow* row) {
                                return std::any_of(list.begin(), list.end(), [&](const Fact& fact) {
                                    return isSame(fact, row->fact());
                                });
                            });
    if (!isSameList) {
        build(list);
    }
    if (map_ != nullptr) {
        const auto site = facts->choices().site;
        map_->setPlace(site && !site->parallaxConstants
                           ? std::optional(night::EarthPoint{site->longitude.degrees(),
                                                             site->latitude.degrees()})
                           : std::nullopt);
    }
    for (FactRow* row : rows_) {
        row->setFact(*std::find_if(
            list.begin(), list.end(), [&](const Fact& fact) { return isSame(fact, row->fact()); }));
    }
}

void FactsBench::build(const std::vector<Fact>& facts) {
    rows_.clear();
    map_ = nullptr;
    while (QLayoutItem* item = rowsLayout_->takeAt(0)) {
        delete item->widget();
        delete item;
    }
    QString heading;
    for (const Fact& fact : facts) {
        if (const QString next = headingOf(fact); next != heading) {
            heading = next;
            auto* label = new QLabel(heading);
            setTone(*label, Tone::Quiet);
            label->setContentsMargins(0, rows_.empty() ? 0 : 8, 0, 2);
            rowsLayout_->addWidget(label);
        }
        addRow(fact);
    }
}

void FactsBench::addRow(const Fact& fact) {
    auto* row = new FactRow(fact);
    rows_.push_back(row);
    rowsLayout_->addWidget(row);
    connect(row, &FactRow::told, this, [this, row](const QString& text) { tell(*row, text); });
    if (fact.kind == FactKind::Site) {
        addMap(*row);
    } else if (fact.kind == FactKind::Catalogue || fact.kind == FactKind::Orbits) {
        connect(row->addButton(fact.kind == FactKind::Orbits ? "chooseOrbits" : "chooseStore",
                               tr("Choose…")),
                &QPushButton::clicked,
                this,
                [this, row] { chooseFiles(*row); });
    }
}

/// A map under the site's line, shown when it is asked for.
void FactsBench::addMap(FactRow& row) {
    map_ = new EarthMap;
    map_->hide();
    rowsLayout_->addWidget(map_);
    auto* button = row.addButton("siteMap", tr("Map"));
    button->setCheckable(true);
    connect(button, &QPushButton::toggled, map_, &QWidget::setVisible);
    connect(map_, &EarthMap::chosen, this, [this, &row](double longitude, double latitude) {
        tell(row, QString("%1 %2 0").arg(longitude, 0, 'f', 4).arg(latitude, 0, 'f', 4));
    });
}

void FactsBench::chooseFiles(FactRow& row) {
    const bool isOrbits = row.fact().kind == FactKind::Orbits;
    const QStringList files =
        isOrbits ? QFileDialog::getOpenFileNames(
                       this, tr("Orbits"), {}, {}, nullptr, QFileDialog::DontUseNativeDialog)
                 : QFileDialog::getOpenFileNames(this,
                                                 tr("Star catalogue"),
                                                 {},
                                                 tr("Star catalogues (*.stars)"),
                                                 nullptr,
                                                 QFileDialog::DontUseNativeDialog);
    if (!files.isEmpty()) {
        tell(row, isOrbits ? files.join("; ") : files.front());
    }
}

void FactsBench::tell(FactRow& row, const QString& text) {
    const auto told = known_.tell(row.fact().kind, row.fact().of, text.toStdString());
    if (!told) {
        row.line()->setText(text);
        row.setProblem(message(told.error()));
    } else if (window()->focusWidget() == row.line()) {
        focusFirst(); // what is asked next
    }
}

} // namespace pathmark::desk
