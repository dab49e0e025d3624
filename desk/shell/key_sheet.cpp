#include "desk/shell/key_sheet.h"

#include "desk/shell/commands.h"
#include "desk/theme/theme.h"

#include <QGridLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QPainter>
#include <QPushButton>
#include <QScrollArea>
#include <QScrollBar>
#include <QVBoxLayout>

#include <algorithm>
#include <utility>
#include <vector>

namespace pathmark::desk {
namespace {

/// With larger text fewer columns have room, and the rest is scrolled to.
int columns() {
    return currentTextPercent() > 110 ? 2 : 3;
}

constexpr int kKeyWidth = 128;

bool isModifier(int key) {
    return key == Qt::Key_Shift || key == Qt::Key_Control || key == Qt::Key_Alt ||
           key == Qt::Key_Meta || key == Qt::Key_AltGr;
}

/// Goes down columns of so many rows; a title never stands at the foot of one, and is repeated where its keys go on in the next.
class Columns {
  public:
    explicit Columns(int rows) : rows_(rows) {}

    void nextTitle() { next(rows_ - 1); }

    void nextKey() { next(rows_); }

    /// Whether the next key is in another column.
    [[nodiscard]] bool isFull() const { return row_ + 1 >= rows_; }

    [[nodiscard]] int row() const { return row_; }

    [[nodiscard]] int column() const { return column_; }

  private:
    void next(int end) {
        if (++row_ >= end) {
            row_ = 0;
            ++column_;
        }
    }

    int rows_;
    int row_ = -1;
    int column_ = 0;
};

/// A section of the sheet.
struct Section {
    QString title;
    std::vector<const Command*> commands;
};

/// The commands that mean something on the page in hand, or the others.
std::vector<Section> sectionsOf(const Commands& commands, bool here) {
    std::vector<Section> sections;
    for (const QString& title : commands.sections()) {
        Section section{title, {}};
        for (const Command& command : commands.all()) {
            const bool isHere = !command.isValid || command.isValid();
            if (command.section == title && isHere == here) {
                section.commands.push_back(&command);
            }
        }
        if (!section.commands.empty()) {
            sections.push_back(std::move(section));
        }
    }
    return sections;
}

/// The fewest rows by which so many columns hold all.
int rowsFor(const std::vector<Section>& sections, int columns) {
    for (int rows = 3;; ++rows) {
        Columns places(rows);
        for (const Section& section : sections) {
            places.nextTitle();
            for (std::size_t i = 0; i < section.commands.size(); ++i) {
                if (places.isFull()) {
                    places.nextTitle();
                }
                places.nextKey();
            }
        }
        if (places.column() < columns) {
            return rows;
        }
    }
}

} // namespace

KeySheet::KeySheet(Commands& commands, QWidget* parent)
    : QWidget(parent), commands_(commands), word_(new QLabel) {
    setObjectName("keys");
    setAccessibleName(tr("Keys"));
    setFocusPolicy(Qt::StrongFocus);
    word_->setObjectName("keysWord");
    word_->setAlignment(Qt::AlignCenter);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(12, 12, 12, 8);
    room_ = new QScrollArea;
    room_->setFrameShape(QFrame::NoFrame);
    room_->setWidgetResizable(true);
    room_->setFocusPolicy(Qt::NoFocus);
    room_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    layout->addWidget(room_, 1);
    layout->addWidget(word_);
    connect(&commands_, &Commands::keysChanged, this, [this] {
        if (isVisible()) {
            fill();
        }
    });
    hide();
}

void KeySheet::open() {
    rest();
    setGeometry(parentWidget()->rect());
    raise();
    show();
    setFocus();
}

/// No key is asked for.
void KeySheet::rest() {
    asked_.clear();
    word_->setText(tr("Click a key to change it. Esc closes this sheet."));
    fill();
}

void KeySheet::fill() {
    const int place = room_->verticalScrollBar()->value();
    auto* table = new QWidget;
    auto* layout = new QVBoxLayout(table);
    layout->setContentsMargins(0, 0, 0, 0);
    addBlock(*layout, true);
    auto* elsewhere = new QLabel(tr("On other pages"));
    elsewhere->setAlignment(Qt::AlignCenter);
    layout->addSpacing(10);
    layout->addWidget(elsewhere);
    addBlock(*layout, false);
    layout->addStretch();
    room_->setWidget(table); // the one before goes
    room_->verticalScrollBar()->setValue(place);
}

void KeySheet::addBlock(QVBoxLayout& layout, bool here) {
    auto* grid = new QGridLayout;
    layout.addLayout(grid);
    grid->setHorizontalSpacing(7);
    grid->setVerticalSpacing(0);
    const auto sections = sectionsOf(commands_, here);
    Columns places(rowsFor(sections, columns()));
    const auto addTitle = [&](const QString& section) {
        places.nextTitle();
        auto* title = new QLabel(section);
        setTone(*title, Tone::Quiet);
        grid->addWidget(title, places.row(), 2 * places.column() + 1);
    };
    for (const Section& section : sections) {
        addTitle(section.title);
        for (const Command* command : section.commands) {
            if (places.isFull()) {
                addTitle(section.title);
            }
            places.nextKey();
            addLine(*grid, *command, places.row(), 2 * places.column());
        }
    }
    for (int i = 0; i < columns(); ++i) {
        grid->setColumnStretch(2 * i + 1, 1);
    }
}

void KeySheet::addLine(QGridLayout& grid, const Command& command, int row, int column) {
    auto* key = new QPushButton(Commands::keyText(command));
    key->setObjectName("key_" + command.id);
    key->setAccessibleName(tr("Key of: %1").arg(command.words));
    key->setFlat(true);
    key->setParent(this);
    key->ensurePolished(); // else its font is not yet that of the window
    key->setMinimumWidth(std::max(static_cast<int>(scaled(kKeyWidth)),
                                  key->fontMetrics().horizontalAdvance(key->text()) + 22));
    key->setStyleSheet("padding: 0 6px"); // as many as can be on one screen
    key->setFixedHeight(key->fontMetrics().height() + 1);
    connect(key, &QPushButton::clicked, this, [this, key, id = command.id] { ask(id, key); });
    auto* words = new QLabel(command.words);
    words->setBuddy(key);
    words->setWordWrap(currentTextPercent() > 110);
    grid.addWidget(key, row, column);
    grid.addWidget(words, row, column + 1);
}

void KeySheet::ask(const QString& id, QPushButton* button) {
    asked_ = id;
    button->setText(tr("press a key"));
    word_->setText(
        tr("Press the new key for “%1”; Backspace brings back the first one, Esc leaves it.")
            .arg(commands_.find(id)->words));
    setFocus();
}

void KeySheet::take(const QKeyEvent& event) {
    if (isModifier(event.key())) {
        return;
    }
    if (event.key() == Qt::Key_Escape) {
        rest();
        return;
    }
    const QString id = std::exchange(asked_, QString());
    const QKeySequence key =
        event.key() == Qt::Key_Backspace ? QKeySequence() : Commands::sequenceOf(event);
    const QString lost = commands_.changeKey(id, key);
    word_->setText(lost.isEmpty() ? tr("Changed.")
                                  : tr("“%1” has no such key any more.").arg(lost));
}

void KeySheet::keyPressEvent(QKeyEvent* event) {
    if (!asked_.isEmpty()) {
        take(*event);
    } else if (!isModifier(event->key())) {
        hide();
        parentWidget()->setFocus();
    }
}

void KeySheet::mousePressEvent(QMouseEvent*) {
    hide();
    parentWidget()->setFocus();
}

void KeySheet::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    const Colours& c = colours();
    painter.fillRect(rect(), QColor(c.ground.red(), c.ground.green(), c.ground.blue(), 242));
}

} // namespace pathmark::desk
