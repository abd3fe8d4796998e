#include "app/shell/action_finder.h"

#include <QHeaderView>
#include <QKeyEvent>
#include <QLineEdit>
#include <QTreeWidget>
#include <QVBoxLayout>
#include <algorithm>
#include <tuple>

namespace nk {

ActionFinder::ActionFinder(std::vector<FinderEntry> entries, QWidget* parent)
    : QDialog(parent), entries_(std::move(entries)) {
    setObjectName("actionFinder");
    setWindowTitle(tr("What would you like to do?"));
    resize(520, 420);
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(12, 12, 12, 12);
    typed_ = new QLineEdit(this);
    typed_->setObjectName("finderText");
    typed_->setPlaceholderText(tr("A few letters of a battery, a log, a station or an action"));
    typed_->setAccessibleName(tr("What to look for"));
    typed_->installEventFilter(this);
    found_ = new QTreeWidget(this);
    found_->setObjectName("finderList");
    found_->setAccessibleName(tr("What was found"));
    found_->setUniformRowHeights(true);
    found_->setRootIsDecorated(false);
    found_->setIndentation(0);
    found_->setHeaderHidden(true);
    found_->setColumnCount(2);
    found_->header()->setStretchLastSection(false);
    found_->header()->setSectionResizeMode(0, QHeaderView::Stretch);
    found_->header()->setSectionResizeMode(1, QHeaderView::ResizeToContents);
    box->addWidget(typed_);
    box->addWidget(found_, 1);
    connect(typed_, &QLineEdit::textChanged, this, &ActionFinder::list);
    connect(typed_, &QLineEdit::returnPressed, this, &ActionFinder::choose);
    connect(found_, &QTreeWidget::itemClicked, this, &ActionFinder::choose);
    connect(found_, &QTreeWidget::itemActivated, this, &ActionFinder::choose);
    list({});
    typed_->setFocus();
}

void ActionFinder::list(const QString& typed) {
    found_->clear();
    const QStringList words = typed.split(' ', Qt::SkipEmptyParts);
    std::vector<std::tuple<int, int, int>> ranked;  // kind, rank, entry
    for (std::size_t k = 0; k < entries_.size(); ++k) {
        int rank = 0;
        bool all = true;
        for (const QString& word : words) {
            const auto at = entries_[k].name.indexOf(word, 0, Qt::CaseInsensitive);
            all &= at >= 0;
            // The beginning of a word is worth more than its middle.
            const bool starts = at == 0 || (at > 0 && !entries_[k].name[at - 1].isLetterOrNumber());
            rank += starts ? 0 : 1;
        }
        const FinderEntry& e = entries_[k];
        // Taking back is never a by-catch of a battery's name.
        if (e.kind == FinderKind::Undo && std::ranges::none_of(words, [&](const QString& word) {
                return word.size() >= 2 && e.word.startsWith(word, Qt::CaseInsensitive);
            }))
            all = words.isEmpty();
        if (all) ranked.emplace_back(static_cast<int>(e.kind), rank, static_cast<int>(k));
    }
    std::ranges::sort(ranked);
    for (const auto& [kind, rank, k] : ranked) {
        const FinderEntry& e = entries_[static_cast<std::size_t>(k)];
        auto* item = new QTreeWidgetItem(found_, {e.name, e.keys});
        item->setData(0, Qt::UserRole, k);
    }
    if (ranked.empty()) {
        auto* none = new QTreeWidgetItem(found_, {tr("Nothing of this name. Try fewer letters.")});
        none->setFlags(Qt::NoItemFlags);
    }
    // What changes data is not run on half a match: Enter takes it only where its name was begun as
    // it stands, or it was chosen by hand.
    const bool sure =
        !ranked.empty() &&
        (std::get<0>(ranked.front()) < static_cast<int>(FinderKind::Change) ||
         (!typed.trimmed().isEmpty() &&
          entries_[static_cast<std::size_t>(std::get<2>(ranked.front()))].name.startsWith(
              typed.trimmed(), Qt::CaseInsensitive)));
    found_->setCurrentItem(sure ? found_->topLevelItem(0) : nullptr);
}

void ActionFinder::choose() {
    const QTreeWidgetItem* item = found_->currentItem();
    if (item == nullptr || !item->data(0, Qt::UserRole).isValid()) return;
    const auto run = entries_[static_cast<std::size_t>(item->data(0, Qt::UserRole).toInt())].run;
    accept();
    run();
}

bool ActionFinder::eventFilter(QObject* watched, QEvent* event) {
    if (watched == typed_ && event->type() == QEvent::KeyPress) {
        const int key = static_cast<QKeyEvent*>(event)->key();
        if (key == Qt::Key_Down || key == Qt::Key_Up) {
            const int count = found_->topLevelItemCount();
            const int at = found_->indexOfTopLevelItem(found_->currentItem());
            const int next = at < 0 ? (key == Qt::Key_Down ? 0 : count - 1)
                                    : (at + (key == Qt::Key_Down ? 1 : count - 1)) % count;
            found_->setCurrentItem(found_->topLevelItem(next));
            return true;
        }
    }
    return QDialog::eventFilter(watched, event);
}

}  // namespace nk
