#include "desk/report/report_bench.h"

#include "core/base/atomic_file.h"
#include "desk/report/report_model.h"
#include "desk/session/message.h"
#include "desk/session/night_session.h"
#include "desk/shell/commands.h"
#include "desk/shell/words.h"
#include "desk/theme/table_rows.h"
#include "desk/theme/theme.h"

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
#include <QVBoxLayout>

#include <utility>

namespace pathmark::desk {
namespace {

struct Format {
    const char* id;
    const char* label;
    const char* file;
};

constexpr std::array kFormats{
    Format{"psv", "ADES PSV", "report.psv"},
    Format{"xml", "ADES XML", "report.xml"},
    Format{"80", QT_TRANSLATE_NOOP("Words", "80 columns"), "report.80.txt"}};

constexpr int kCutoutSide = 46;

/// What the bench shows, made on a worker.
struct Written {
    std::vector<ReportModel::Line> lines;
    Result<std::string> text;
};

night::ReportedNight reportedOf(const NightSnapshot& night) {
    return {{night.measurements.begin(), night.measurements.end()}, night.lights};
}

Result<std::string> textOf(const night::ReportedNight& reported,
                           const night::Recipe& recipe,
                           const std::string& format) {
    std::vector<Error> leftOut; // the lines say it
    return night::reportText(reported, recipe, format, leftOut);
}

Result<Written> written(const NightSnapshot& night, const std::string& format) {
    const auto recipe = night::readRecipe(night.recipePath);
    if (!recipe) {
        return fail(recipe.error());
    }
    const night::ReportedNight reported = reportedOf(night);
    std::map<std::string, const night::MeasurementRecord*> byId;
    for (const auto& m : reported.measurements) {
        byId[m.id] = &m;
    }
    Written result{{}, textOf(reported, *recipe, format)};
    for (auto& line : night::reportLines(reported, *recipe)) {
        const auto& measurement = *byId.at(line.measurement);
        result.lines.push_back({std::move(line), measurement});
    }
    return result;
}

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
    : QWidget(parent), session_(session), writing_(session.jobs(), 1) {
    setObjectName("reportBench");
    state_ = new QLabel;
    state_->setObjectName("reportState");
    state_->setWordWrap(true);
    pages_ = new QStackedWidget;
    pages_->addWidget(buildTable());
    pages_->addWidget(buildText());
    turn_ = new QPushButton;
    turn_->setObjectName("reportText");
    save_ = new QPushButton;
    save_->setObjectName("saveReport");
    auto* foot = new QHBoxLayout;
    foot->addWidget(turn_);
    foot->addWidget(save_);
    for (QPushButton* button : {turn_, save_}) {
        button->setFocusPolicy(Qt::NoFocus);
    }
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(8, 6, 8, 6);
    layout->addWidget(state_);
    layout->addWidget(pages_, 1);
    layout->addLayout(foot);
    setFormat("psv");
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
            [this](const QModelIndex& index) { choose(index.row()); });
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
        connect(formats_[i], &QPushButton::clicked, this, [this, id = kFormats[i].id] {
            setFormat(id);
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
    commands.bind(*save_, "report.save", tr("Save the report"));
    commands.bind(*turn_, "report.text", tr("Text"));
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

void ReportBench::setFormat(const std::string& format) {
    format_ = format;
    for (std::size_t i = 0; i < kFormats.size(); ++i) {
        formats_[i]->setChecked(format == kFormats[i].id);
    }
    refresh();
}

void ReportBench::refresh() {
    stale_ = false;
    writing_.drop();
    if (night_ == nullptr || night_->measurements.empty()) {
        state_->setText(tr("Nothing is measured yet. Run the night (Ctrl+R)."));
        text_->clear();
        model_->setLines({});
        return;
    }
    writing_.start(
        [night = night_, format = format_] { return written(*night, format); },
        [this](Result<Written> result) {
            if (!result) {
                state_->setText(message(result.error()));
                return;
            }
            const int row = table_->currentIndex().row();
            model_->setLines(std::move(result->lines));
            table_->resizeColumnsToContents();
            table_->setColumnWidth(ReportModel::Cutout, kCutoutSide + 4);
            if (row >= 0) {
                follows_ = true;
                table_->selectRow(std::min(row, model_->rowCount() - 1));
                follows_ = false;
            } else {
                setFrame(session_.currentFrame());
            }
            const QString problem = result->text ? QString() : message(result->text.error());
            text_->setPlainText(result->text ? QString::fromStdString(*result->text) : problem);
            state_->setText(!problem.isEmpty()
                                ? "△ " + problem
                                : tr("%n line(s)", nullptr, model_->rowCount()) + ", " +
                                      (model_->warned() == 0
                                           ? tr("nothing to be checked")
                                           : tr("%n to be checked", nullptr, model_->warned())));
            setTone(*state_, problem.isEmpty() ? Tone::Quiet : Tone::Disagrees);
        });
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
    if (night_ == nullptr) {
        return;
    }
    QString target = path;
    for (const Format& format : kFormats) {
        if (target.isEmpty() && format_ == format.id) {
            target = QString::fromStdString((night_->out / format.file).string());
        }
    }
    // What is saved is the night as it is decided now, not the text that was shown a moment ago.
    writing_.start(
        [night = night_, format = format_, target]() -> Result<bool> {
            const auto recipe = night::readRecipe(night->recipePath);
            const auto text =
                recipe ? textOf(reportedOf(*night), *recipe, format) : fail(recipe.error());
            return text ? writeWholeText(target.toStdString(), *text) : fail(text.error());
        },
        [this, target](const Result<bool>& saved) {
            if (saved) {
                emit session_.notified(tr("Saved %1").arg(target));
            } else {
                emit session_.failed(message(saved.error()));
            }
        });
}

} // namespace pathmark::desk
