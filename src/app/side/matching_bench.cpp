#include "app/side/matching_bench.h"

#include <QBuffer>
#include <QDate>
#include <QDialog>
#include <QDoubleSpinBox>
#include <QFile>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QInputDialog>
#include <QLabel>
#include <QLocale>
#include <QMenu>
#include <QPdfWriter>
#include <QPushButton>
#include <QScrollArea>
#include <QSlider>
#include <QSpinBox>
#include <QTableWidget>
#include <QTextDocument>
#include <QVBoxLayout>
#include <algorithm>
#include <map>
#include <tuple>

#include "app/session/text.h"
#include "app/shell/data_export.h"
#include "app/shell/table_habits.h"
#include "app/side/module_board.h"
#include "app/theme/quantity_field.h"
#include "app/theme/theme.h"
#include "app/theme/word_label.h"
#include "history/kept_standing.h"
#include "history/module_table.h"
#include "report/matching_sheet.h"

namespace nk {

Expected<std::vector<MatchModule>> modulesOfBook(BenchBook& book, std::int64_t like) {
    const auto batteries = book.batteries();
    const auto standings = keptStandings(book);
    const auto lives = book.lives();
    if (!batteries) return tl::unexpected<Error>(batteries.error());
    if (!standings) return tl::unexpected<Error>(standings.error());
    if (!lives) return tl::unexpected<Error>(lives.error());
    using Kind = std::tuple<std::string, int, double>;
    const auto kindOf = [](const Battery& b) { return Kind{b.chemistry, b.series, b.rated_Ah}; };
    std::map<Kind, int> counts;
    Kind wanted;
    int most = 0;
    for (const BatteryEntry& e : *batteries) {
        const int n = ++counts[kindOf(e.battery)];
        if (like == 0 && n > most) most = n, wanted = kindOf(e.battery);
        if (e.id == like) wanted = kindOf(e.battery);
    }
    std::vector<MatchModule> out;
    for (const BatteryEntry& e : *batteries) {
        const auto life = lives->find(e.id);
        if (kindOf(e.battery) != wanted ||
            (life != lives->end() && (life->second.retired() || !life->second.outOfUse.empty())))
            continue;
        MatchModule m;
        m.name = e.battery.name;
        double capacityAt = -1;
        double resistanceAt = -1;
        if (const auto s = standings->find(e.id); s != standings->end()) {
            // What its standing says of today.
            if (std::isfinite(s->second.capacity_Ah)) {
                capacityAt = s->second.capacityAt_s;
                m.capacity_Ah = s->second.capacity_Ah;
                m.capacityUncertainty_Ah =
                    (s->second.capacityHigh_Ah - s->second.capacityLow_Ah) / 4;
            }
            if (std::isfinite(s->second.resistance_ohm)) {
                resistanceAt = s->second.resistanceAt_s;
                m.resistance_ohm = s->second.resistance_ohm;
            }
        }
        const auto spots = book.spotReadings(e.id);
        if (!spots) return tl::unexpected<Error>(spots.error());
        for (const SpotReading& s : *spots) {
            if (s.kind == "charge" && s.atEpoch_s > capacityAt) {
                capacityAt = s.atEpoch_s;
                m.capacity_Ah = s.value;
                m.capacityUncertainty_Ah = s.resolution / std::sqrt(12.0);
            }
            if (s.kind == "resistance" && s.atEpoch_s > resistanceAt)
                resistanceAt = s.atEpoch_s, m.resistance_ohm = s.value;
        }
        if (m.capacity_Ah > 0) out.push_back(std::move(m));
    }
    return out;
}

MatchingBench::MatchingBench(Session& session, QWidget* parent)
    : QWidget(parent), session_(session) {
    setObjectName("matchingBench");
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(10, 9, 8, 8);
    box->setSpacing(6);
    auto* head = new QHBoxLayout;
    title_ = new QLabel(tr("Matching bench"), this);
    title_->setObjectName("benchTitle");
    title_->setProperty("role", "title");
    auto* table = new QPushButton(tr("Modules from a table"), this);
    table->setObjectName("benchTable");
    table->setToolTip(tr("One module a row: name, capacity, resistance"));
    auto* ranking = new QPushButton(tr("Rank and sort out…"), this);
    ranking->setObjectName("benchRank");
    auto* back = new QPushButton(tr("Back to the curves"), this);
    back->setObjectName("benchBack");
    head->addWidget(title_, 1);
    head->addWidget(table);
    head->addWidget(ranking);
    head->addWidget(back);
    box->addLayout(head);
    auto* shape = new QHBoxLayout;
    const auto count = [&](const char* name, const QString& suffix, int value) {
        auto* spin = new WholeField(this);
        spin->setObjectName(name);
        spin->setRange(1, 400);
        spin->setValue(value);
        spin->setSuffix(suffix);
        spin->setMinimumWidth(spin->fontMetrics().horizontalAdvance("400" + suffix) + 48);
        shape->addWidget(spin);
        return spin;
    };
    series_ = count("benchSeries", tr(" groups in series"), 3);
    parallel_ = count("benchParallel", tr(" in parallel"), 4);
    unlike_ = new QPushButton(this);
    unlike_->setObjectName("benchUnlike");
    unlike_->setProperty("role", "link");
    unlike_->setToolTip(tr("Groups of unlike numbers, for a pack whose places are given"));
    shape->addWidget(unlike_);
    shape->addSpacing(6);
    auto* label = new QLabel(tr("Resistance counts"), this);
    weight_ = new QSlider(Qt::Horizontal, this);
    weight_->setObjectName("benchWeight");
    weight_->setRange(0, 20);
    weight_->setFixedWidth(84);
    weight_->setAccessibleName(tr("How much resistances count beside capacities"));
    weight_->setToolTip(
        tr("Left: it decides between equal capacities alone. Right: twice as much as capacity."));
    label->setBuddy(weight_);
    shape->addWidget(label);
    shape->addWidget(weight_);
    auto* go = new QPushButton(tr("Match"), this);
    go->setObjectName("benchMatch");
    go->setProperty("role", "primary");
    sheet_ = new QPushButton(tr("Build sheet…"), this);
    sheet_->setObjectName("benchSheet");
    sheet_->setEnabled(false);
    shape->addSpacing(10);
    shape->addWidget(go);
    shape->addWidget(sheet_);
    shape->addStretch(1);
    box->addLayout(shape);
    words_ = wordLabel(this, "benchWords");
    words_->setMinimumHeight(52);
    box->addWidget(words_);
    auto* scroll = new QScrollArea(this);
    scroll->setWidgetResizable(true);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    board_ = new ModuleBoard;
    scroll->setWidget(board_);
    scroll->setFocusPolicy(Qt::NoFocus);
    box->addWidget(scroll, 1);
    setShape({});
    connect(unlike_, &QPushButton::clicked, this, &MatchingBench::askShape);
    connect(back, &QPushButton::clicked, this, &MatchingBench::left);
    auto* sources = new QMenu(table);
    sources->addAction(tr("From a file…"), this, &MatchingBench::openTable);
    sources->addAction(tr("A made-up one of 24 modules, to try it"), this,
                       &MatchingBench::showExample);
    table->setMenu(sources);
    connect(ranking, &QPushButton::clicked, this, &MatchingBench::rank);
    connect(go, &QPushButton::clicked, this, &MatchingBench::match);
    connect(sheet_, &QPushButton::clicked, this, &MatchingBench::saveSheet);
    connect(board_, &ModuleBoard::changed, this, [this] {
        const std::vector<int> apart = matching_.setApart;
        const double bound = matching_.lowerBound_Ah;
        matching_ = measureMatching(modules_, board_->groups());
        matching_.spares = board_->spares();
        std::erase_if(matching_.spares,
                      [&](int k) { return std::ranges::find(apart, k) != apart.end(); });
        matching_.setApart = apart;
        matching_.lowerBound_Ah = std::min(bound, matching_.spread_Ah);
        tell();
    });
    connect(&job_, &Job::failed, this, [this](const QString& words) { session_.say(words, true); });
}

void MatchingBench::begin() {
    if (!modules_.empty()) return;
    const std::int64_t like = session_.shown() ? session_.shown()->batteryId : 0;
    job_.start(
        [path = session_.path(), like](
            std::stop_token, const Job::ProgressSink&) -> Expected<std::vector<MatchModule>> {
            auto book = BenchBook::open(path, false);
            if (!book) return tl::unexpected<Error>(book.error());
            return modulesOfBook(**book, like);
        },
        [this](const Expected<std::vector<MatchModule>>& found) {
            if (!found) return session_.say(text(found.error()), true);
            setModules(*found, tr("from the shelf"));
        });
}

void MatchingBench::setModules(std::vector<MatchModule> modules, const QString& from) {
    modules_ = std::move(modules);
    matching_ = {};
    title_->setText(tr("Matching bench · %1 modules %2").arg(modules_.size()).arg(from));
    const auto n = static_cast<int>(modules_.size());
    setShape({});
    if (n < series_->value() * parallel_->value()) {
        // The largest shape of the present number of groups that there are modules for.
        series_->setValue(std::clamp(series_->value(), 1, std::max(1, n)));
        parallel_->setValue(std::max(1, n / std::max(1, series_->value())));
    }
    Matching none;
    for (int k = 0; k < n; ++k) none.spares.push_back(k);
    board_->setMatching(modules_, none);
    tell();
    if (n >= series_->value() * parallel_->value() && n > 1) match();
}

void MatchingBench::setShape(std::vector<int> shape) {
    shape_ = std::move(shape);
    QStringList counts;
    for (const int n : shape_) counts << QString::number(n);
    const QString all = counts.join(' ');
    unlike_->setText(shape_.empty()    ? tr("unlike groups…")
                     : all.size() > 16 ? all.left(15) + QChar(0x2026)
                                       : all);
    unlike_->setAccessibleName(shape_.empty() ? tr("Groups of unlike numbers")
                                              : tr("Groups of %1 modules").arg(all));
    series_->setEnabled(shape_.empty());
    parallel_->setEnabled(shape_.empty());
}

void MatchingBench::askShape() {
    auto* dialog = new QInputDialog(this);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    dialog->setObjectName("askShape");
    dialog->setWindowTitle(tr("Groups of unlike numbers"));
    dialog->setLabelText(
        tr("Modules of each group in series, like 4 4 3. Empty: all groups alike."));
    QStringList counts;
    for (const int n : shape_) counts << QString::number(n);
    dialog->setTextValue(counts.join(' '));
    connect(dialog, &QInputDialog::textValueSelected, this, [this](const QString& typed) {
        if (typed.trimmed().isEmpty()) {
            setShape({});
        } else {
            const auto shape = parseShape(typed.toStdString());
            if (!shape) return session_.say(text(shape.error()), true);
            setShape(*shape);
        }
        match();
    });
    dialog->open();
}

void MatchingBench::match() {
    MatchWish wish;
    wish.series = series_->value();
    wish.parallel = parallel_->value();
    wish.shape = shape_;
    wish.resistanceWeight = 0.1 * weight_->value();
    job_.start(
        [modules = modules_, wish](std::stop_token stop, const Job::ProgressSink&) {
            return matchModules(modules, wish, stop);
        },
        [this](const Expected<Matching>& found) {
            if (!found) {
                words_->setText(text(found.error()));
                return;
            }
            matching_ = *found;
            board_->setMatching(modules_, matching_);
            tell();
        });
}

void MatchingBench::tell() {
    sheet_->setEnabled(!matching_.groups.empty());
    if (modules_.empty()) {
        words_->setText(
            tr("No module of this kind has a capacity in the book yet. Log a discharge of each, "
               "use the "
               "readings pad, or take a table."));
        return;
    }
    QStringList words;
    for (const std::string& w : matchingWords(modules_, matching_))
        words << QString::fromStdString(w);
    if (words.isEmpty())
        words << tr(
            "Choose the shape of the pack, then match. Tiles can be dragged onto each other.");
    words_->setText(keepFigures(words.join("\n")));
}

void MatchingBench::rank() {
    auto* dialog = new QDialog(this);
    dialog->setAttribute(Qt::WA_DeleteOnClose);
    dialog->setObjectName("rank");
    dialog->setWindowTitle(tr("Rank and sort out"));
    dialog->resize(560, 560);
    auto* box = new QVBoxLayout(dialog);
    auto* limits = new QHBoxLayout;
    const auto share = [&](const char* name, const QString& words, double value) {
        auto* spin = new QuantityField(dialog);
        spin->setObjectName(name);
        spin->setRange(1, 300);
        spin->setDecimals(0);
        spin->setPrefix(words + " ");
        spin->setSuffix(" %");
        spin->setValue(100 * value);
        limits->addWidget(spin);
        return spin;
    };
    const ClassLimits usual;
    auto* a = share("rankA", tr("A from"), usual.a);
    auto* b = share("rankB", tr("B from"), usual.b);
    auto* ohms = share("rankOhms", tr("resistance up to"), usual.mostResistance_b);
    box->addLayout(limits);
    auto* note = wordLabel(dialog, "", "muted");
    note->setText(
        tr("Of the median of all modules. A takes half of what B may have more in resistance."));
    box->addWidget(note);
    auto* list = new QTableWidget(static_cast<int>(modules_.size()), 4, dialog);
    list->setTabKeyNavigation(false);  // Tab leads on to the next part
    list->setObjectName("rankList");
    list->setAccessibleName(tr("Modules with their class"));
    list->setHorizontalHeaderLabels(
        {tr("Module"), tr("Capacity, Ah"), tr("Resistance, mΩ"), tr("Class")});
    list->verticalHeader()->hide();
    list->setEditTriggers(QAbstractItemView::NoEditTriggers);
    list->setSelectionBehavior(QAbstractItemView::SelectRows);
    list->horizontalHeader()->setSectionResizeMode(0, QHeaderView::Stretch);
    giveHabits(list, "rank");
    box->addWidget(list, 1);
    const auto limitsNow = [a, b, ohms] {
        ClassLimits l;
        l.a = a->value() / 100;
        l.b = b->value() / 100;
        l.mostResistance_b = ohms->value() / 100;
        l.mostResistance_a = 1 + 0.5 * (l.mostResistance_b - 1);
        return l;
    };
    const auto fill = [this, list, limitsNow] {
        const auto classes = classify(modules_, limitsNow());
        list->setSortingEnabled(false);
        for (int k = 0; k < static_cast<int>(modules_.size()); ++k) {
            const MatchModule& m = modules_[static_cast<std::size_t>(k)];
            const auto figure = [](double x) {
                auto* item = new QTableWidgetItem;
                if (std::isfinite(x)) item->setData(Qt::DisplayRole, std::round(x * 1000) / 1000);
                return item;
            };
            list->setItem(k, 0, new QTableWidgetItem(QString::fromStdString(m.name)));
            list->setItem(k, 1, figure(m.capacity_Ah));
            list->setItem(k, 2, figure(1000 * m.resistance_ohm));
            const ModuleClass c = classes[static_cast<std::size_t>(k)];
            list->setItem(k, 3,
                          new QTableWidgetItem(c == ModuleClass::A   ? "A"
                                               : c == ModuleClass::B ? "B"
                                                                     : tr("reject")));
        }
        list->setSortingEnabled(true);
    };
    fill();
    list->sortByColumn(1, Qt::DescendingOrder);
    for (QDoubleSpinBox* spin : {a, b, ohms})
        connect(spin, &QDoubleSpinBox::valueChanged, dialog, fill);
    auto* row = new QHBoxLayout;
    row->addStretch(1);
    auto* cancel = new QPushButton(tr("Close"), dialog);
    auto* take = new QPushButton(tr("Go on without the rejects"), dialog);
    take->setObjectName("rankTake");
    take->setProperty("role", "primary");
    row->addWidget(cancel);
    row->addWidget(take);
    box->addLayout(row);
    connect(cancel, &QPushButton::clicked, dialog, &QDialog::reject);
    connect(take, &QPushButton::clicked, dialog, [this, dialog, limitsNow] {
        const auto classes = classify(modules_, limitsNow());
        std::vector<MatchModule> left;
        for (std::size_t k = 0; k < modules_.size(); ++k)
            if (classes[k] != ModuleClass::Reject) left.push_back(modules_[k]);
        const auto out = modules_.size() - left.size();
        dialog->accept();
        setModules(std::move(left), tr("without %1 rejects").arg(out));
    });
    dialog->open();
}

void MatchingBench::showExample() {
    QFile file(":/demo/modules-24.csv");
    if (!file.open(QIODevice::ReadOnly)) return;
    const auto table = readPlainTable(file.readAll().toStdString(), "modules-24.csv");
    const auto modules = table ? readModules(*table) : tl::unexpected<Error>(table.error());
    if (!modules) return session_.say(text(modules.error()), true);
    series_->setValue(5);
    parallel_->setValue(4);
    setModules(*modules, tr("of a radio box, made up"));
}

void MatchingBench::openTable() {
    const QString file = session_.dialogs().openFile(
        this, tr("A table of modules"), tr("Tables (*.csv *.tsv *.txt);;All files (*)"));
    if (file.isEmpty()) return;
    job_.start(
        [file](std::stop_token, const Job::ProgressSink&) -> Expected<std::vector<MatchModule>> {
            const auto table = readPlainTableFile(file.toStdString());
            if (!table) return tl::unexpected<Error>(table.error());
            return readModules(*table);
        },
        [this, file](const Expected<std::vector<MatchModule>>& found) {
            if (!found) return session_.say(text(found.error()), true);
            setModules(*found, tr("from %1").arg(QFileInfo(file).fileName()));
        });
}

Expected<void> MatchingBench::writeSheet(const QString& path) const {
    const QString html = QString::fromStdString(matchingSheetHtml(
        modules_, matching_, QLocale().toString(QDate::currentDate(), "d MMMM yyyy").toStdString(),
        currentStyle()));
    if (!path.endsWith(".pdf", Qt::CaseInsensitive)) return writeWhole(path, html.toUtf8());
    QByteArray bytes;
    QBuffer buffer(&bytes);
    buffer.open(QIODevice::WriteOnly);
    QPdfWriter writer(&buffer);
    writer.setPageSize(QPageSize(QPageSize::A4));
    writer.setPageMargins(QMarginsF(14, 14, 14, 14), QPageLayout::Millimeter);
    writer.setResolution(144);
    QTextDocument document;
    QFont font(loadFonts());
    font.setPointSizeF(9);
    document.setDefaultFont(font);
    document.setHtml(
        QString(html).replace("font-family:'Inter'", "font-family:'" + loadFonts() + "'"));
    document.print(&writer);
    return writeWhole(path, bytes);
}

void MatchingBench::saveSheet() {
    const QString target = session_.dialogs().saveAs(
        this, tr("Save the build sheet"), tr("build sheet.pdf"), tr("PDF (*.pdf);;HTML (*.html)"));
    if (target.isEmpty()) return;
    const auto done = writeSheet(target);
    session_.say(done ? tr("The build sheet is in %1.").arg(target) : text(done.error()), !done);
}

}  // namespace nk
