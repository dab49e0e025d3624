#include "desk/solve/solve_checks.h"

#include "desk/theme/theme.h"

#include <QGridLayout>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>

namespace pathmark::desk {
namespace {

QLabel* words(const QString& text, Tone tone, bool bold = false) {
    auto* label = new QLabel(text);
    label->setWordWrap(true);
    label->setTextFormat(Qt::PlainText);
    label->setTextInteractionFlags(Qt::TextSelectableByMouse);
    label->setFocusPolicy(Qt::NoFocus);
    label->setProperty("bold", bold);
    setTone(*label, tone);
    return label;
}

QWidget* rowFor(const solve::SolveCheck& check, bool first) {
    auto* row = new QWidget;
    auto* grid = new QGridLayout(row);
    grid->setContentsMargins(0, 4, 0, 4);
    grid->setHorizontalSpacing(10);
    grid->setVerticalSpacing(2);
    grid->setColumnStretch(1, 1);
    grid->addWidget(
        words(check.passed ? "✓" : "✕", check.passed ? Tone::Agreed : Tone::Disagrees, true),
        0,
        0,
        Qt::AlignTop);
    grid->addWidget(words(QString::fromStdString(check.question), Tone::Text, true), 0, 1);
    grid->addWidget(words(QString::fromStdString(check.finding), Tone::Quiet), 1, 1);
    if (!check.advice.empty()) {
        auto* advice =
            words(QString::fromStdString(check.advice), first ? Tone::Text : Tone::Quiet);
        advice->setObjectName("advice");
        grid->addWidget(advice, 2, 1);
    }
    return row;
}

} // namespace

SolveChecks::SolveChecks(QWidget* parent) : QWidget(parent) {
    setObjectName("solveChecks");
    rows_ = new QVBoxLayout(this);
    rows_->setContentsMargins(12, 8, 12, 8);
}

void SolveChecks::clear() {
    while (QLayoutItem* item = rows_->takeAt(0)) {
        delete item->widget();
        delete item;
    }
}

void SolveChecks::setLight(const night::LightRecord& light) {
    clear();
    rows_->addWidget(words(tr("Not solved"), Tone::Disagrees, true));
    if (light.attempt) {
        bool first = true;
        for (const auto& check : solve::checksOf(*light.attempt)) {
            rows_->addWidget(rowFor(check, first && !check.passed));
            first = first && check.passed;
        }
    } else {
        rows_->addWidget(words(QString::fromStdString(light.problem), Tone::Text));
    }
    auto* button = new QPushButton(tr("Fit by hand (G)"));
    button->setObjectName("beginHandFit");
    button->setFocusPolicy(Qt::NoFocus);
    connect(button, &QPushButton::clicked, this, &SolveChecks::handFitWanted);
    rows_->addWidget(button, 0, Qt::AlignLeft);
    rows_->addStretch(1);
}

} // namespace pathmark::desk
