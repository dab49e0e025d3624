#include "desk/window/run_sheet.h"

#include "core/catalog/star_store.h"
#include "desk/theme/theme.h"

#include <QAbstractItemView>
#include <QComboBox>
#include <QDialogButtonBox>
#include <QFileDialog>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QVBoxLayout>

namespace pathmark::desk {
namespace {

constexpr int kWidth = 620;
constexpr QChar kBetweenFiles = ';';

QString textOf(const std::filesystem::path& path) {
    return QString::fromStdString(path.string());
}

} // namespace

RunSheet::RunSheet(const night::RunNeeds& needs, const orbit::SiteCodes& codes, QWidget* parent)
    : QDialog(parent), codes_(codes), needs_(needs), form_(new QFormLayout) {
    setObjectName("runSheet");
    setWindowTitle(tr("What this run needs"));
    setMinimumWidth(static_cast<int>(scaled(kWidth)));
    auto* layout = new QVBoxLayout(this);
    auto* head = new QLabel(tr("No recipe stands with these frames. What is entered here is kept "
                               "for the nights to come."));
    head->setWordWrap(true);
    layout->addWidget(head);
    layout->addLayout(form_);
    site_ = addRow("runSite",
                   tr("Site"),
                   tr("An observatory code, or longitude, latitude and altitude: 24.5 -27.25 1187"),
                   QString::fromStdString(needs.siteFrom));
    store_ = addRow("runStore",
                    tr("Star catalogues"),
                    tr("The folder that 'pathmark catalog import' or 'fetch' made"),
                    QString::fromStdString(needs.catalogFrom));
    catalog_ = new QComboBox;
    catalog_->setObjectName("runCatalog");
    catalog_->setAccessibleName(tr("Catalogue"));
    catalog_->view()->setAccessibleName(catalog_->accessibleName());
    form_->addRow(tr("Catalogue"), catalog_);
    orbits_ = addRow("runOrbits",
                     tr("Orbits"),
                     tr("Files with ; between them; none: only what moves is found"),
                     QString::fromStdString(needs.orbitsFrom));
    observer_ =
        addRow("runObserver", tr("Observer"), tr("As it stands in the report: I. Vellamo"), {});
    problem_ = new QLabel;
    problem_->setObjectName("runProblem");
    problem_->setWordWrap(true);
    setTone(*problem_, Tone::Disagrees);
    layout->addWidget(problem_);
    addChooser(*store_, "chooseStore", &RunSheet::chooseStore);
    addChooser(*orbits_, "chooseOrbits", &RunSheet::chooseOrbits);
    addButtons();
    site_->setText(needs.site ? QString::fromStdString(night::siteText(*needs.site)) : QString());
    QStringList orbits;
    for (const auto& file : needs.orbits) {
        orbits.append(textOf(file));
    }
    orbits_->setText(orbits.join(kBetweenFiles));
    observer_->setText(QString::fromStdString(needs.observer));
    store_->setText(textOf(needs.store));
    listCatalogues();
    check();
}

QLineEdit*
RunSheet::addRow(const char* name, const QString& words, const QString& help, const QString& from) {
    auto* line = new QLineEdit;
    line->setObjectName(name);
    line->setAccessibleName(words);
    line->setPlaceholderText(help);
    line->setToolTip(help);
    form_->addRow(words, line);
    if (!from.isEmpty()) {
        auto* origin = new QLabel(from);
        setTone(*origin, Tone::Quiet);
        form_->addRow(QString(), origin);
    }
    connect(line, &QLineEdit::textChanged, this, &RunSheet::check);
    return line;
}

/// A button beside a line that opens a dialogue of files.
void RunSheet::addChooser(QLineEdit& line, const char* name, void (RunSheet::*choose)()) {
    auto* button = new QPushButton(tr("Choose…"));
    button->setObjectName(name);
    button->setAccessibleName(tr("Choose: %1").arg(line.accessibleName()));
    button->setAutoDefault(false);
    auto* both = new QHBoxLayout;
    int row = 0;
    QFormLayout::ItemRole role = QFormLayout::FieldRole;
    form_->getWidgetPosition(&line, &row, &role);
    form_->removeWidget(&line);
    both->addWidget(&line, 1);
    both->addWidget(button);
    form_->setLayout(row, QFormLayout::FieldRole, both);
    connect(button, &QPushButton::clicked, this, choose);
}

void RunSheet::addButtons() {
    auto* box = new QDialogButtonBox;
    box->addButton(tr("Not now"), QDialogButtonBox::RejectRole)->setAutoDefault(false);
    run_ = box->addButton(tr("Run"), QDialogButtonBox::AcceptRole);
    run_->setObjectName("runNow");
    layout()->addWidget(box);
    connect(box, &QDialogButtonBox::accepted, this, &QDialog::accept);
    connect(box, &QDialogButtonBox::rejected, this, &QDialog::reject);
    connect(store_, &QLineEdit::textChanged, this, &RunSheet::listCatalogues);
}

void RunSheet::chooseStore() {
    const QString folder = QFileDialog::getExistingDirectory(this, tr("Star catalogues"));
    if (!folder.isEmpty()) {
        store_->setText(folder);
    }
}

void RunSheet::chooseOrbits() {
    const QStringList files = QFileDialog::getOpenFileNames(this, tr("Orbits"));
    if (!files.isEmpty()) {
        orbits_->setText(files.join(kBetweenFiles));
    }
}

void RunSheet::listCatalogues() {
    catalog_->clear();
    const std::filesystem::path store = store_->text().trimmed().toStdString();
    if (!store.empty()) {
        for (const std::string& name : catalog::StarStore::names(store)) {
            catalog_->addItem(QString::fromStdString(name));
        }
    }
    catalog_->setCurrentText(QString::fromStdString(needs_.catalog));
    check();
}

void RunSheet::check() {
    if (run_ == nullptr) {
        return; // not yet built
    }
    QString problem;
    const auto site = night::siteFromText(site_->text().toStdString(), codes_);
    if (!site) {
        problem = site_->text().trimmed().isEmpty() ? tr("Where did the camera stand?")
                                                    : QString::fromStdString(site.error().detail);
    } else if (catalog_->count() == 0) {
        problem = store_->text().trimmed().isEmpty()
                      ? tr("Which star catalogue is the field to be compared with?")
                      : tr("There is no star catalogue in this folder.");
    }
    for (const std::filesystem::path& file : orbitFiles()) {
        std::error_code ignored;
        if (problem.isEmpty() && !std::filesystem::exists(file, ignored)) {
            problem = tr("%1 is not there.").arg(textOf(file));
        }
    }
    problem_->setText(problem);
    run_->setEnabled(problem.isEmpty());
}

std::vector<std::filesystem::path> RunSheet::orbitFiles() const {
    std::vector<std::filesystem::path> files;
    for (const QString& file : orbits_->text().split(kBetweenFiles, Qt::SkipEmptyParts)) {
        files.emplace_back(file.trimmed().toStdString());
    }
    return files;
}

night::RecipeChoices RunSheet::choices() const {
    night::RecipeChoices choices;
    if (auto site = night::siteFromText(site_->text().toStdString(), codes_)) {
        choices.site = std::move(*site);
    }
    choices.store = store_->text().trimmed().toStdString();
    choices.catalog = catalog_->currentText().toStdString();
    choices.orbits = orbitFiles();
    choices.observer = observer_->text().trimmed().toStdString();
    return choices;
}

} // namespace pathmark::desk
