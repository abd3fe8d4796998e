// How a log was read, shown on its first rows with a small curve; every part can be changed, and
// the effect is seen at once.
#pragma once

#include <QWidget>

#include "formats/importer.h"

class QComboBox;
class QLabel;
class QLineEdit;
class QTableWidget;

namespace nk {

class Thumbnail;

class ImportPreview : public QWidget {
    Q_OBJECT
  public:
    explicit ImportPreview(QWidget* parent = nullptr);

    /// `text` is the beginning of the table (formats/importer.h, previewText). `imported` may be
    /// null when the columns are still unknown; `problem` says what is missing then.
    /// `ways`: two readings that fit equally well, shown side by side to be chosen from.
    using Ways = std::vector<std::pair<ReadingChoice, RecordingPtr>>;
    void show(const std::string& text, const ReadOptions& options, const Imported* imported,
              const QString& problem, const Ways& ways = {});
    ReadOptions options() const { return options_; }

  Q_SIGNALS:
    void optionsChanged();

  private:
    void fillTable(const std::string& text);
    void readChoices();

    ReadOptions options_;
    Dialect dialect_;
    bool filling_ = false;
    QLabel* summary_ = nullptr;
    QTableWidget* table_ = nullptr;
    QComboBox* delimiter_ = nullptr;
    QComboBox* decimal_ = nullptr;
    QComboBox* sign_ = nullptr;
    QLineEdit* interval_ = nullptr;
    QComboBox* order_ = nullptr;
    QLineEdit* load_ = nullptr;
    Thumbnail* curve_ = nullptr;
    QWidget* more_ = nullptr;  ///< dates and load
    QWidget* orderWords_ = nullptr;
    QWidget* loadWords_ = nullptr;
    QWidget* question_ = nullptr;  ///< the two ways
    std::vector<Thumbnail*> wayCurves_;
    std::vector<QLabel*> wayWords_;
    std::vector<ReadOptions> wayOptions_;
};

/// Choices as text for the settings, and back.
QString optionsText(const ReadOptions& options);
ReadOptions optionsFrom(const QString& text);

}  // namespace nk
