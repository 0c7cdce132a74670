// The shared map: ground, fences, route with clearance, home, aircraft and tracks; and the drawing tools of Draft.
#pragma once

#include <QPixmap>
#include <QWidget>
#include <functional>
#include <optional>
#include <vector>

#include "app/layers/LayerStack.h"
#include "app/map/MapTransform.h"
#include "app/widgets/Theme.h"
#include "app/widgets/TrackColours.h"
#include "core/tiles/TileGrid.h"
#include "session/PlanSession.h"

namespace anhinga {

enum class MapTool {
    select,
    waypoint,
    home,
    block,
    corridor,
    rings,
    face,
    lap,
    keepIn,
    keepOut,
    circle,
    lookAt,
    rally,
    mast,
    wire,
    trees,
    measure,
    side  // of a Face: where it is flown
};

/// What the present workspace lays over the plan.
struct MapOverlay {
    struct Aircraft {
        GeoPoint place;
        double heading_deg = 0;
        std::optional<double> course_deg;
    };
    std::optional<Aircraft> aircraft;
    std::vector<GeoPoint> track;         // flown, or rehearsed up to the play head
    TrackColours colours;                // of the track
    std::vector<GeoPoint> beside_track;  // of another flight
    std::optional<Aircraft> beside;
    std::vector<GeoPoint> photos;
    std::vector<GeoPoint> missed;  // photos that were planned and not taken
    std::vector<GeoPoint> flash;   // what the photo just taken shows
    bool plan_quiet = false;       // the plan as a thin line beneath a track
};

class MapView : public QWidget {
    Q_OBJECT
  public:
    MapView(PlanSession* session, QWidget* parent = nullptr);

    void setTheme(const Theme& theme);
    void setTool(MapTool tool);
    MapTool tool() const { return tool_; }
    /// Drawing and dragging are possible (Draft) or not (the other workspaces).
    void setEditable(bool on);
    /// The route drawn is that of the chosen sortie, the rest of the plan's in the background.
    void setFlown(bool on);
    void setOverlay(MapOverlay overlay);
    const MapOverlay& overlay() const { return overlay_; }
    /// The cursor shared with the band; nothing hides it.
    void setCursorPlace(std::optional<GeoPoint> place);
    void showWholePlan();
    /// All of these places, as near as they fit, down to a few tens of metres.
    void showPlaces(const std::vector<GeoPoint>& places);
    void showSelection();
    void showPlace(GeoPoint place);
    /// Moves along when a place comes near the edge.
    void keepInView(GeoPoint place);
    void zoomBy(double factor, QPointF about);
    const MapTransform& transform() const { return view_; }
    LayerStack& layers() { return layers_; }
    void showBox(const UnitBox& box);
    /// The next run begins where this one ends.
    void rememberView() const;
    /// The next drag draws a rectangle, told by areaDrawn().
    void pickArea();
    /// A rectangle to be seen over the plan.
    void setFrame(std::optional<GeoBox> frame);
    /// Finishes or gives up the shape being drawn.
    void finishShape();
    void cancelShape();
    /// The area drawn next is left out of a Block.
    void drawHole(ItemId block);
    double lastFrameMs() const { return frame_ms_; }
    QString statusText() const { return status_; }

  signals:
    void toolChanged(MapTool tool);
    void hovered(std::optional<GeoPoint> place);
    void message(const QString& text);
    void areaDrawn(const GeoBox& box);
    /// Another place or scale is shown.
    void viewChanged(const MapTransform& view);
    /// A click in a workspace that does not edit.
    void clicked(GeoPoint place);
    /// A sortie is to begin at an item or a photo.
    void sortieWanted(const Cut& cut);

  protected:
    void paintEvent(QPaintEvent*) override;
    void resizeEvent(QResizeEvent*) override;
    void mousePressEvent(QMouseEvent*) override;
    void mouseMoveEvent(QMouseEvent*) override;
    void mouseReleaseEvent(QMouseEvent*) override;
    void mouseDoubleClickEvent(QMouseEvent*) override;
    void wheelEvent(QWheelEvent*) override;
    void keyPressEvent(QKeyEvent*) override;
    void leaveEvent(QEvent*) override;
    void contextMenuEvent(QContextMenuEvent*) override;

  private:
    enum class Grip { none, pan, items, corner, box, area, rectangle };
    /// A stretch of the flown line with one clearance class (0 clear, 1 inside the margin, 2 below the minimum,
    /// 3 unknown), in Mercator units.
    struct Run {
        QPolygonF points;
        int level = 0;
        bool repeat = false;
        bool at_selection = false;  // moves when what is selected moves
    };
    struct Corner {
        ItemId owner = 0;
        std::size_t index = 0;
        bool edge = false;     // the middle of an edge: dragging makes a new corner
        std::size_t ring = 0;  // 0: the outline; then the holes
    };

    /// Something is being moved: what costs time is drawn coarsely until it is let go.
    bool dragging() const { return moved_ && (grip_ == Grip::items || grip_ == Grip::corner); }
    void rebuildRuns();
    ItemId itemAt(QPointF at) const;
    ItemId shapeAt(QPointF at) const;
    std::optional<Corner> cornerAt(QPointF at) const;
    /// Item before which a point clicked on a leg belongs; nothing when no leg is near.
    std::optional<ItemId> legAt(QPointF at, GeoPoint* where) const;
    void addWaypoint(QPointF at);
    void moveSelection(GeoPoint from, GeoPoint to);
    /// `to` brought to a whole bearing and length as seen from `from`.
    GeoPoint snapped(GeoPoint from, GeoPoint to);
    void placePoint(GeoPoint where);
    QString measureText() const;
    void updateStatus(QPointF at);
    /// Corners of an outline or line that are edited on the map; nullptr for what has none.
    static const std::vector<GeoPoint>* outlineOf(const Plan& plan, ItemId id);
    /// The same, then the holes of a Block.
    static std::vector<const std::vector<GeoPoint>*> ringsOf(const Plan& plan, ItemId id);
    static std::vector<GeoPoint>* ringToEdit(Plan& plan, ItemId id, std::size_t ring);
    /// Open: its last corner is not joined to its first.
    static bool outlineIsLine(const Plan& plan, ItemId id);
    /// Shows all places, no closer than `most_scale`, below `top_px` of the upper edge.
    void fit(const std::vector<GeoPoint>& places, double most_scale, double top_px = 0);
    void tellCover();
    /// The pattern whose photos are shown: the only thing selected.
    const OpenedPattern* photographed() const;
    /// What a photo sees, on the map.
    QPolygonF printOf(const OpenedPattern& opened, const PlannedPhoto& photo, double level_amsl_m) const;
    ItemId addPattern(ItemKind kind, std::vector<GeoPoint> outline);
    static std::optional<ItemKind> patternOf(MapTool tool);
    static bool drawsLine(MapTool tool);
    static bool drawsArea(MapTool tool);
    void addHole(std::vector<GeoPoint> outline);
    /// The chosen Face is flown on that side of its line.
    void takeSide(GeoPoint where);
    /// The hole of a Block at a place: its number, from 0.
    std::optional<std::pair<ItemId, std::size_t>> holeAt(QPointF at) const;
    /// Corners of the rectangle being drawn, from the upper left, clockwise.
    std::vector<GeoPoint> rectangle() const;

    // MapPaint.cpp
    void paintStill(QPainter& p);
    void paintFrame(QPainter& p);
    void paintFences(QPainter& p);
    void paintPatterns(QPainter& p);
    void paintPhotos(QPainter& p);
    void paintSorties(QPainter& p);
    /// The item or photo near a place at which a sortie may begin.
    std::optional<Cut> cutAt(QPointF at) const;
    /// What is flown: of the chosen sortie outside of Draft.
    const PlanView& shownView() const;
    void paintRoute(QPainter& p);
    void paintRuns(QPainter& p, bool at_selection);
    void paintChevrons(QPainter& p);
    void paintDots(QPainter& p);
    QPixmap dot(double size, double radius, double width) const;
    /// Legs away from the selection are painted once and kept.
    bool layered() const;
    void paintRepeatsAndLooks(QPainter& p);
    void paintItems(QPainter& p);
    void paintShape(QPainter& p);
    void paintTracks(QPainter& p);
    void paintTrackLegend(QPainter& p) const;
    void paintAircraft(QPainter& p);
    void paintFurniture(QPainter& p);
    void paintHatch(QPainter& p, const QPainterPath& path, const QColor& colour);
    void paintObstacles(QPainter& p);
    void paintAirspace(QPainter& p);
    void paintRally(QPainter& p);
    QPolygonF polygon(const std::vector<GeoPoint>& outline) const;
    QPolygonF polygon(const Fence& fence) const;
    QPolygonF onScreen(const QPolygonF& mercator, double least_px) const;

    PlanSession* session_;
    LayerStack layers_;
    MapTransform told_;  // by viewChanged
    bool picking_area_ = false;
    std::optional<GeoBox> frame_;
    Theme theme_ = Theme::light();
    MapTransform view_;
    static constexpr double kPhotoRange_m = 600;
    struct Prints {
        PatternFlightPtr of;
        std::vector<QPolygonF> outlines;  // as far as they are made
    } prints_;
    MapTool tool_ = MapTool::select;
    MapOverlay overlay_;
    bool flown_ = false;
    bool editable_ = true, ever_shown_ = false, moved_ = false;
    std::vector<Run> runs_;
    std::vector<GeoPoint> shape_;
    ItemId hole_of_ = 0;  // the Block out of which the shape is left
    std::optional<GeoPoint> cursor_;
    std::optional<QPointF> hover_;
    Grip grip_ = Grip::none;
    Corner corner_;
    QPointF pressed_at_, last_at_;
    GeoPoint grabbed_, grab_start_;
    QString drag_text_;  // step of the drag under way
    ItemId toggled_ = 0;
    int drag_number_ = 100;
    std::vector<QRectF> look_labels_;  // places tabs must not cover, of the last painting
    /// Everything the still layer was painted from.
    struct Still {
        MapTransform view;
        bool night = false;
        std::optional<double> ceiling, floor;
        std::vector<Fence> fences;
        std::vector<Obstacle> obstacles;
        std::vector<Zone> zones;
        std::vector<AirspaceCover> covers;
        std::set<ItemId> selected;
        bool operator==(const Still&) const;
    };
    QPixmap still_;
    Still still_of_;
    /// Everything the layer of legs away from the selection was painted from.
    struct RouteLayer {
        MapTransform view;
        bool night = false, quiet = false;
        std::uint64_t runs = 0;
        bool operator==(const RouteLayer&) const;
    };
    QPixmap route_;
    RouteLayer route_of_;
    std::size_t strokes_ = 0;       // of all runs
    std::uint64_t still_runs_ = 0;  // fingerprint of the runs away from the selection
    std::uint64_t runs_made_ = 0;   // how often
    QString status_;
    double frame_ms_ = 0;
};

}  // namespace anhinga
