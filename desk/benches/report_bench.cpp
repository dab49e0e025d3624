#include "desk/benches/report_bench.h"

#include "desk/session/night_session.h"
#include "desk/shell/commands.h"

#include <QFontDatabase>
#include <QHBoxLayout>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QVBoxLayout>

namespace pathmark::desk {
namespace {

struct Format {
    const char* id;
    const char* label;
    const char* file;
};

constexpr Format kFormats[3] = {{"psv", "ADES PSV", "report.psv"},
                                {"xml", "ADES XML", "report.xml"},
                                {"80", "80 columns", "report.80.txt"}};

} // namespace

ReportBench::ReportBench(NightSession& session, QWidget* parent)
    : QWidget(parent), session_(session), text_(new QPlainTextEdit) {
    setObjectName("reportBench");
    text_->setObjectName("reportText");
    text_->setReadOnly(true);
    text_->setLineWrapMode(QPlainTextEdit::NoWrap);
    QFont font = QFontDatabase::systemFont(QFontDatabase::FixedFont);
    font.setPointSize(8);
    text_->setFont(font);
    auto* row = new QHBoxLayout;
    for (int i = 0; i < 3; ++i) {
        formats_[i] = new QPushButton(kFormats[i].label);
        formats_[i]->setObjectName(QString("format_") + kFormats[i].id);
        formats_[i]->setCheckable(true);
        row->addWidget(formats_[i]);
        const std::string id = kFormats[i].id;
        connect(formats_[i], &QPushButton::clicked, this, [this, id] { setFormat(id); });
    }
    save_ = new QPushButton;
    save_->setObjectName("saveReport");
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(8, 6, 8, 6);
    layout->addLayout(row);
    layout->addWidget(text_, 1);
    layout->addWidget(save_);
    setFormat("psv");
}

BenchInfo ReportBench::info() const {
    return {"report", tr("Report"), Stage::Report, {170, 500, 610}};
}

void ReportBench::addCommands(Commands& commands) {
    commands.add({"report.save",
                  tr("Report"),
                  tr("Save the report into the results folder"),
                  {Qt::CTRL | Qt::Key_S},
                  [this] { save(); }});
    commands.bind(*save_, "report.save", tr("Save the report"));
}

void ReportBench::setNight(const std::shared_ptr<const NightSnapshot>&) {
    refresh();
}

void ReportBench::setShown(bool shown) {
    if (shown) {
        refresh();
    }
}

QString ReportBench::text() const {
    return text_->toPlainText();
}

void ReportBench::setFormat(const std::string& format) {
    format_ = format;
    for (int i = 0; i < 3; ++i) {
        formats_[i]->setChecked(format == kFormats[i].id);
    }
    refresh();
}

void ReportBench::refresh() {
    if (isVisible() || text_->toPlainText().isEmpty()) {
        text_->setPlainText(session_.reportText(format_));
    }
}

bool ReportBench::save(const QString& path) {
    QString target = path;
    if (target.isEmpty()) {
        if (session_.night() == nullptr) {
            return false;
        }
        for (const Format& format : kFormats) {
            if (format_ == format.id) {
                target = QString::fromStdString((session_.night()->out / format.file).string());
            }
        }
    }
    return session_.saveReport(target, format_);
}

} // namespace pathmark::desk
