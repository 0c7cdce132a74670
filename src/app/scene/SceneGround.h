// The ground of the Scene as meshes: square pieces of a regular grid over the elevation, each drawn as finely as its
// distance asks, and the picture draped over them: imagery where there is some, tints by height elsewhere, lit from the
// north-west, hatched where no height is known. Light is in the picture, so that a coarse mesh loses none of it and a
// pixel costs little. Made in the background; no OpenGL in here.
#pragma once

#include <QImage>
#include <memory>
#include <stop_token>
#include <string>
#include <vector>

#include "app/scene/SceneCamera.h"
#include "core/terrain/Terrain.h"

namespace anhinga {

struct GroundVertex {
    float x, y, z;  // metres east and north of home; AMSL
    float u, v;     // of the picture
};

struct GroundPiece {
    std::vector<GroundVertex> vertices;  // (kPieceCells + 1) squared, row by row from the south-west
    QVector3D low, high;                 // box around it, AMSL
};

struct SceneGround {
    static constexpr int kPieceCells = 64, kLevels = 5;
    std::vector<GroundPiece> pieces;
    double cell_m = 5;
    double lowest_amsl_m = 0;
    QImage picture;
    QString problem;  // why a picture could not be read
    double made_ms = 0;
};

/// Grid cells as fine as the terrain's, but no more than `most_cells` to a side; an area of at most 30 km about home.
std::shared_ptr<const SceneGround> makeGround(const LocalFrame& frame, const Terrain& terrain,
                                              const std::vector<std::string>& pictures, int most_cells,
                                              const std::stop_token& stop);
/// What of a piece is drawn at a level (0 the finest, each next one twice as coarse): its knots row by row, then the
/// skirt that hides gaps to a neighbour drawn more coarsely. Only these: software OpenGL works on every vertex there
/// is.
std::vector<GroundVertex> groundKnots(const GroundPiece& piece, int level);
/// Triangles over groundKnots().
std::vector<std::uint16_t> groundTriangles(int level);
/// How coarse a piece may be drawn where a metre is so many pixels.
int groundLevel(double cell_m, double pixels_per_metre);

}  // namespace anhinga
