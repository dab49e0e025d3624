#include "desk/shell/commands.h"

#include "core/base/expects.h"

#include <QAbstractButton>
#include <QKeyEvent>
#include <QMenu>
#include <QSettings>

#include <algorithm>

namespace pathmark::desk {
namespace {

QString settingOf(const QString& id) {
    return "keys/" + id;
}

bool isValid(const Command& command) {
    return !command.isValid || command.isValid();
}

} // namespace

void Commands::add(Command command) {
    PATHMARK_EXPECTS(find(command.id) == nullptr && command.act);
    firstKeys_.push_back(command.keys);
    const QSettings settings;
    if (const QVariant kept = settings.value(settingOf(command.id)); kept.isValid()) {
        command.keys = QKeySequence::listFromString(kept.toString(), QKeySequence::PortableText);
    }
    commands_.push_back(std::move(command));
}

const Command* Commands::find(const QString& id) const {
    const auto found = std::find_if(
        commands_.begin(), commands_.end(), [&](const Command& c) { return c.id == id; });
    return found == commands_.end() ? nullptr : &*found;
}

Command* Commands::own(const QString& id) {
    const Command* found = find(id);
    PATHMARK_EXPECTS(found != nullptr);
    return &commands_[static_cast<std::size_t>(found - commands_.data())];
}

QStringList Commands::sections() const {
    QStringList names;
    for (const Command& command : commands_) {
        if (!names.contains(command.section)) {
            names.append(command.section);
        }
    }
    return names;
}

QString Commands::keyText(const Command& command) {
    return QKeySequence::listToString(command.keys, QKeySequence::NativeText).replace("; ", ", ");
}

QString Commands::tooltip(const QString& id) const {
    const Command* command = find(id);
    PATHMARK_EXPECTS(command != nullptr);
    return command->keys.isEmpty() ? command->words
                                   : QString("%1 (%2)").arg(command->words, keyText(*command));
}

QString Commands::changeKey(const QString& id, const QKeySequence& key) {
    Command* changed = own(id);
    const auto index = static_cast<std::size_t>(changed - commands_.data());
    QSettings settings;
    const auto keep = [&](const Command& command) {
        settings.setValue(settingOf(command.id),
                          QKeySequence::listToString(command.keys, QKeySequence::PortableText));
    };
    QString lost;
    changed->keys = key.isEmpty() ? firstKeys_[index] : QList<QKeySequence>{key};
    for (Command& other : commands_) {
        // Where one is valid in some places only and the other everywhere, the key may have two meanings.
        const bool sharesPlaces =
            static_cast<bool>(other.isValid) == static_cast<bool>(changed->isValid);
        for (const QKeySequence& own : changed->keys) {
            if (&other != changed && sharesPlaces && other.keys.removeAll(own) > 0) {
                lost = other.words;
                keep(other);
            }
        }
    }
    if (key.isEmpty()) {
        settings.remove(settingOf(id));
    } else {
        keep(*changed);
    }
    emit keysChanged();
    return lost;
}

bool Commands::trigger(const QString& id) const {
    const Command* command = find(id);
    PATHMARK_EXPECTS(command != nullptr);
    if (!isValid(*command)) {
        return false;
    }
    command->act();
    return true;
}

void Commands::bind(QAbstractButton& button, const QString& id, const QString& label) {
    const Command* command = find(id);
    PATHMARK_EXPECTS(command != nullptr);
    button.setAccessibleName(command->words);
    const auto tell = [this, &button, id, label] {
        button.setToolTip(tooltip(id));
        if (!label.isEmpty()) {
            button.setText(QString("%1  %2").arg(label, keyText(*find(id))).trimmed());
        }
    };
    tell();
    connect(this, &Commands::keysChanged, &button, tell);
    connect(&button, &QAbstractButton::clicked, this, [this, id] { trigger(id); });
}

void Commands::fill(QMenu& menu) const {
    for (const QString& section : sections()) {
        QMenu* part = menu.addMenu(section);
        for (const Command& command : commands_) {
            if (command.section != section) {
                continue;
            }
            // The window gives the keys out; the menu only names them.
            const QString keys = keyText(command);
            QAction* action =
                part->addAction(keys.isEmpty() ? command.words : command.words + "\t" + keys);
            action->setObjectName(command.id);
            // What lasts while its key is held lasts, from the menu, until it is chosen again.
            action->setCheckable(static_cast<bool>(command.released));
            connect(action, &QAction::triggered, this, [this, id = command.id](bool checked) {
                const Command* chosen = find(id);
                chosen->released && !checked ? chosen->released() : static_cast<void>(trigger(id));
            });
            connect(part, &QMenu::aboutToShow, action, [this, action, id = command.id] {
                action->setEnabled(isValid(*find(id)));
            });
        }
    }
}

QKeySequence Commands::sequenceOf(const QKeyEvent& event) {
    const auto modifiers = event.modifiers() & ~(Qt::KeypadModifier | Qt::GroupSwitchModifier);
    // A plus needs Shift on many keyboards and is meant all the same.
    const bool isSign = event.key() < Qt::Key_A || event.key() > Qt::Key_Z;
    const bool isPrintable = event.key() > Qt::Key_Space && event.key() < Qt::Key_AsciiTilde;
    const auto kept = isSign && isPrintable ? modifiers & ~Qt::ShiftModifier : modifiers;
    return {QKeyCombination(kept, static_cast<Qt::Key>(event.key()))};
}

const Command* Commands::commandOf(const QKeyEvent& event) const {
    const QKeySequence sequence = sequenceOf(event);
    const Command* general = nullptr;
    for (const Command& command : commands_) {
        if (command.keys.contains(sequence)) {
            if (!command.isValid) {
                general = general == nullptr ? &command : general;
            } else if (command.isValid()) {
                return &command;
            }
        }
    }
    return general;
}

bool Commands::press(const QKeyEvent& event) const {
    const Command* command = commandOf(event);
    if (command == nullptr) {
        return false;
    }
    if (!command->released || !event.isAutoRepeat()) {
        command->act();
    }
    return true;
}

bool Commands::release(const QKeyEvent& event) const {
    const Command* command = commandOf(event);
    if (command == nullptr || !command->released || event.isAutoRepeat()) {
        return false;
    }
    command->released();
    return true;
}

} // namespace pathmark::desk
