// The selected thing with its numbers: only fields that apply, units in the field, inherited values dashed.
#pragma once

#include <QScrollArea>
#include <functional>
#include <optional>
#include <vector>

#include "app/widgets/Theme.h"
#include "core/plan/Edit.h"
#include "session/PlanSession.h"

class QCheckBox;
class QComboBox;
class QFormLayout;
class QLabel;
class QLineEdit;
class QVBoxLayout;

namespace anhinga {

class Inspector : public QScrollArea {
    Q_OBJECT
  public:
    Inspector(PlanSession* session, QWidget* parent = nullptr);

    /// Shows the present values again, for what is not in the plan (the coordinate format).
    void refresh();

  signals:
    void lookAtWanted();
    /// Why what was typed is not taken.
    void message(const QString& text);
    /// The next click on the map is the side from which a Face is flown.
    void sideWanted();

  private:
    /// A text as shown, and whether it is inherited.
    struct Shown {
        QString text;
        bool inherited = false;
    };
    using Getter = std::function<Shown(const Plan&)>;
    using Setter = std::function<void(Plan&, std::optional<double>)>;

    void rebuild();
    QString structure() const;
    void title(const QString& text, const Getter& side);
    void number(const QString& label, const QString& unit, double low, double high, const Getter& get,
                const Setter& set, const QString& undo_name);
    /// `wrong` says why a text is not taken; empty: it is.
    void textField(const QString& label, const Getter& get, const std::function<void(Plan&, const QString&)>& set,
                   const QString& undo_name, const std::function<QString(const QString&)>& wrong = {});
    void note(const Getter& get);
    void choice(const QString& label, const QStringList& names, const std::function<int(const Plan&)>& get,
                const std::function<void(Plan&, int)>& set, const QString& undo_name);
    void toggle(const QString& label, const std::function<bool(const Plan&)>& get,
                const std::function<void(Plan&, bool)>& set, const QString& undo_name);
    void heightField(const std::vector<ItemId>& ids);
    void positionField(const std::function<std::optional<GeoPoint>(const Plan&)>& get,
                       const std::function<void(Plan&, GeoPoint)>& set);
    template <class T>
    void nameField(T* (Plan::*find)(ItemId), ItemId id);
    void kindField(ItemId id);
    void repeatRow(ItemId id, std::size_t k);
    void chips(ItemId id);
    void actionRows(const Item& item);
    void buildPlan();
    void buildHome();
    void buildItem(ItemId id);
    void buildPattern(ItemId id);
    void buildCamera(ItemId id);
    void buildFaceAngles(ItemId id);
    void buildSeveral(const std::vector<ItemId>& items, const std::vector<ItemId>& all);
    void buildTransform(const Ids& ids);
    void buildOther(ItemId id);
    void buildFence(ItemId id);
    void buildObstacle(ItemId id);
    void buildRally(ItemId id);
    void buildZone(ItemId id);

    PlanSession* session_;
    QString built_;
    QVBoxLayout* column_ = nullptr;
    struct Field {
        QLineEdit* edit;
        Getter get;
    };
    std::vector<Field> fields_;
    struct Note {
        QLabel* label;
        Getter get;
    };
    std::vector<Note> notes_;
    struct RefBox {
        QComboBox* box;
        ItemId id;
    };
    std::vector<RefBox> refs_;
    struct Choice {
        QComboBox* box;
        std::function<int(const Plan&)> get;
    };
    std::vector<Choice> choices_;
    struct Toggle {
        QCheckBox* box;
        std::function<bool(const Plan&)> get;
    };
    std::vector<Toggle> toggles_;
};

}  // namespace anhinga
