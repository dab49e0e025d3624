#include "desk/facts/fact_row.h"

#include "desk/theme/theme.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QVBoxLayout>

namespace pathmark::desk {
namespace {

constexpr double kTitleWidth = 120.0;

QString factText(const std::string& words) {
    return QString::fromStdString(words);
}

/// For the program and its tests: "fact-site", "fact-gain".
QString nameOf(const night::Fact& fact) {
    return "fact-" + factText(fact.title).toLower().replace(' ', '-');
}

} // namespace

FactRow::FactRow(const night::Fact& fact, QWidget* parent)
    : QWidget(parent), fact_(fact), title_(new QLabel(factText(fact.title))), line_(new QLineEdit),
      unit_(new QLabel(factText(fact.unit))), words_(new QLabel) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 2);
    layout->setSpacing(0);
    auto* row = new QHBoxLayout;
    row->setSpacing(6);
    title_->setFixedWidth(static_cast<int>(scaled(kTitleWidth)));
    line_->setObjectName(nameOf(fact));
    line_->setAccessibleName(fact.of.empty() ? factText(fact.title)
                                             : factText(fact.title) + ", " + factText(fact.of));
    line_->setReadOnly(!fact.canChange);
    line_->setPlaceholderText(fact.canChange ? QString() : tr("not here"));
    line_->setFocusPolicy(fact.canChange ? Qt::StrongFocus : Qt::ClickFocus);
    setTone(*unit_, Tone::Quiet);
    row->addWidget(title_);
    row->addWidget(line_, 1);
    row->addWidget(unit_);
    unit_->setVisible(!fact.unit.empty());
    words_->setWordWrap(true);
    words_->setIndent(static_cast<int>(scaled(kTitleWidth)) + 6);
    words_->setTextFormat(Qt::PlainText);
    layout->addLayout(row);
    layout->addWidget(words_);
    connect(line_, &QLineEdit::editingFinished, this, [this] {
        if (line_->isModified()) {
            line_->setModified(false);
            emit told(line_->text());
        }
    });
    setFact(fact);
}

QPushButton* FactRow::addButton(const char* name, const QString& words) {
    auto* button = new QPushButton(words);
    button->setObjectName(name);
    button->setAccessibleName(tr("%1: %2").arg(line_->accessibleName(), words));
    static_cast<QHBoxLayout*>(layout()->itemAt(0)->layout())->addWidget(button);
    return button;
}

void FactRow::setFact(const night::Fact& fact) {
    fact_ = fact;
    if (!line_->isModified()) {
        line_->setText(factText(fact.value));
        line_->setCursorPosition(0);
    }
    problem_.clear();
    showWords();
}

void FactRow::setProblem(const QString& problem) {
    problem_ = problem;
    showWords();
}

void FactRow::showWords() {
    QStringList words;
    for (const QString& part : {problem_, factText(fact_.from), factText(fact_.doubt)}) {
        if (!part.isEmpty()) {
            words.append(part);
        }
    }
    words_->setText((fact_.isAsked || !problem_.isEmpty() ? "△ " : "") + words.join(" · "));
    words_->setVisible(!words.isEmpty());
    setTone(*words_, fact_.isAsked || !problem_.isEmpty() ? Tone::Disagrees : Tone::Quiet);
}

} // namespace pathmark::desk
