#include "desk/benches/header_panel.h"

#include "core/frame/frame_info.h"
#include "core/frame/header_diff.h"
#include "core/frame/open_frame.h"
#include "desk/theme/table_rows.h"
#include "desk/theme/theme.h"

#include <QAbstractItemView>
#include <QCheckBox>
#include <QComboBox>
#include <QHeaderView>
#include <QLineEdit>
#include <QTableWidget>
#include <QVBoxLayout>

#include <algorithm>
#include <utility>

namespace pathmark::desk {
namespace {

/// The frames that have another value than the others, by name where they are few.
QString whichDiffer(const std::vector<frame::SharedValue>& values, const QStringList& names) {
    constexpr std::size_t kNamed = 4;
    std::size_t others = 0;
    QStringList parts;
    for (auto value = values.begin() + 1; value != values.end(); ++value) {
        others += value->headers.size();
        QStringList frames;
        for (const std::size_t i : value->headers) {
            frames.push_back(names.at(static_cast<qsizetype>(i)));
        }
        const QString said = value->value.empty() ? HeaderPanel::tr("nothing")
                                                  : QString::fromStdString(value->value);
        parts.push_back(said + ": " + frames.join(", "));
    }
    if (others <= kNamed && values.front().headers.size() > 1) {
        return parts.join("; ");
    }
    return HeaderPanel::tr("%1 values in %n frame(s)", nullptr, static_cast<int>(names.size()))
        .arg(values.size());
}

/// Keywords whose values are not the same in all of the files.
std::vector<HeaderRow> differencesOf(const std::vector<std::filesystem::path>& files) {
    std::vector<frame::Header> headers;
    QStringList names;
    for (const auto& file : files) {
        if (const auto source = frame::openFrame(file)) {
            headers.push_back((*source)->header());
            names.push_back(QString::fromStdString(frame::frameStem(file)));
        }
    }
    std::vector<HeaderRow> rows;
    for (const auto& line : frame::compareHeaders(headers)) {
        if (!line.differs) {
            continue;
        }
        const auto [least, most] = std::minmax_element(line.values.begin(), line.values.end());
        rows.push_back({QString::fromStdString(line.keyword),
                        QString::fromStdString(*least) + " … " + QString::fromStdString(*most),
                        whichDiffer(frame::sharedValues(line), names)});
    }
    return rows;
}

/// What was made of a header, then its cards.
std::vector<HeaderRow> cardsOf(const std::filesystem::path& file, std::vector<HeaderRow> rows) {
    const auto source = frame::openFrame(file);
    if (!source) {
        rows.push_back({"△", QString::fromStdString(source.error().detail), {}});
        return rows;
    }
    for (const auto& card : (*source)->header().cards()) {
        rows.push_back({QString::fromStdString(card.keyword),
                        QString::fromStdString(frame::cardText(card)),
                        QString::fromStdString(card.comment)});
    }
    return rows;
}

} // namespace

HeaderPanel::HeaderPanel(JobRunner& jobs, QWidget* parent) : QWidget(parent), reading_(jobs, 1) {
    setObjectName("headerPanel");
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(8, 8, 8, 8);
    of_ = new QComboBox;
    of_->setObjectName("headerOf");
    of_->setAccessibleName(tr("Whose header"));
    of_->view()->setAccessibleName(of_->accessibleName());
    of_->setToolTip(tr("The frame in hand, or the first of a group of calibration frames"));
    of_->setFocusPolicy(Qt::NoFocus);
    of_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    of_->addItem(tr("Frame in hand"));
    search_ = new QLineEdit;
    search_->setObjectName("headerSearch");
    search_->setAccessibleName(tr("Search the header"));
    search_->setPlaceholderText(tr("Search keyword, value or remark"));
    search_->setClearButtonEnabled(true);
    differences_ = new QCheckBox(tr("Only what differs across the series"));
    differences_->setObjectName("headerDifferences");
    differences_->setFocusPolicy(Qt::NoFocus);
    table_ = new QTableWidget(0, 3);
    table_->setObjectName("headerTable");
    table_->setAccessibleName(tr("Header of the frame"));
    table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
    table_->setSelectionBehavior(QAbstractItemView::SelectRows);
    table_->setFocusPolicy(Qt::NoFocus);
    table_->verticalHeader()->hide();
    setRowHeight(*table_, 22);
    table_->setShowGrid(false);
    table_->horizontalHeader()->setStretchLastSection(true);
    layout->addWidget(of_);
    layout->addWidget(search_);
    layout->addWidget(differences_);
    layout->addWidget(table_, 1);
    connect(of_, &QComboBox::currentIndexChanged, this, &HeaderPanel::choose);
    connect(search_, &QLineEdit::textChanged, this, &HeaderPanel::showRows);
    connect(differences_, &QCheckBox::toggled, this, &HeaderPanel::load);
}

void HeaderPanel::focusSearch() {
    search_->setFocus();
}

BenchInfo HeaderPanel::info() const {
    return {"header", tr("Header of the frame"), Stage::Gather, {180, 600, 500}, Qt::Key_I};
}

void HeaderPanel::setNight(const std::shared_ptr<const NightSnapshot>& night) {
    night_ = night;
    // What is asked for by name stays asked for, where the night still has it.
    const QString wanted = of_->currentIndex() > 0 ? of_->currentText() : QString();
    of_->blockSignals(true);
    of_->clear();
    of_->addItem(tr("Frame in hand"));
    groups_.clear();
    for (std::size_t i = 0; night != nullptr && i < night->groups->size(); ++i) {
        const calibrate::FrameGroup& group = night->groups[i];
        if (group.example.kind != frame::FrameKind::Light) {
            groups_.push_back(i);
            of_->addItem(QString::fromStdString(group.title()));
        }
    }
    of_->setCurrentIndex(std::max(0, wanted.isEmpty() ? 0 : of_->findText(wanted)));
    of_->blockSignals(false);
    choose();
}

void HeaderPanel::setFrame(int light) {
    light_ = light;
    if (of_->currentIndex() <= 0) {
        choose();
    }
}

void HeaderPanel::choose() {
    path_.clear();
    series_.clear();
    derived_.clear();
    const int group = of_->currentIndex() - 1;
    if (night_ != nullptr && group >= 0) {
        const auto& frames = night_->groups[groups_[static_cast<std::size_t>(group)]].frames;
        path_ = frames.front().path;
        for (const frame::FrameInfo& info : frames) {
            series_.push_back(info.path);
        }
        derive(frames.front());
    } else if (night_ != nullptr && light_ >= 0 &&
               static_cast<std::size_t>(light_) < night_->lights->size()) {
        const auto& inHand = night_->lights[static_cast<std::size_t>(light_)];
        path_ = inHand.raw;
        for (const auto& other : night_->lights) {
            if (other.series == inHand.series) {
                series_.push_back(other.raw);
            }
        }
        if (const frame::FrameInfo* info = night_->infoOf(inHand)) {
            derive(*info);
        }
    }
    if (isVisible()) {
        load();
    }
}

/// What the header was taken to mean, and what is odd about it.
void HeaderPanel::derive(const frame::FrameInfo& info) {
    for (const auto& origin : info.origins) {
        derived_.push_back({QString::fromStdString(origin.what),
                            QString::fromStdString(origin.value),
                            QString::fromStdString(origin.from),
                            true});
    }
    for (const auto& note : info.notes) {
        derived_.push_back({"△", QString::fromStdString(note), {}, true});
    }
}

void HeaderPanel::showEvent(QShowEvent* event) {
    QWidget::showEvent(event);
    load();
}

void HeaderPanel::load() {
    reading_.drop();
    if (path_.empty()) {
        rows_.clear();
        showRows();
        return;
    }
    const auto take = [this](std::vector<HeaderRow> rows) {
        rows_ = std::move(rows);
        showRows();
    };
    if (differences_->isChecked()) {
        reading_.start([series = series_] { return differencesOf(series); }, take);
    } else {
        reading_.start([path = path_, derived = derived_] { return cardsOf(path, derived); }, take);
    }
}

void HeaderPanel::showRows() {
    const QString wanted = search_->text();
    const Colours& c = colours();
    table_->setHorizontalHeaderLabels(
        differences_->isChecked() ? QStringList{tr("keyword"), tr("from … to"), {}}
                                  : QStringList{tr("what"), tr("value"), tr("from, or remark")});
    table_->setRowCount(0);
    for (const HeaderRow& row : rows_) {
        if (!wanted.isEmpty() && !row.what.contains(wanted, Qt::CaseInsensitive) &&
            !row.value.contains(wanted, Qt::CaseInsensitive) &&
            !row.remark.contains(wanted, Qt::CaseInsensitive)) {
            continue;
        }
        const int at = table_->rowCount();
        table_->insertRow(at);
        int column = 0;
        for (const QString& words : {row.what, row.value, row.remark}) {
            auto* item = new QTableWidgetItem(words);
            item->setToolTip(words);
            item->setForeground(row.what == "△"              ? c.disagrees
                                : row.derived && column == 1 ? c.agreed
                                : column == 1                ? c.text
                                                             : c.quiet);
            table_->setItem(at, column++, item);
        }
    }
    table_->setColumnWidth(0, 160);
    table_->setColumnWidth(1, 165);
}

} // namespace pathmark::desk
