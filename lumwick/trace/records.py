"""The named records that the stage fills and the integrator reads, and those in which it works.

A field holds one number or a few (colours are rgb); maps and rows are numbers of rows elsewhere, -1 for none.
"""

from __future__ import annotations

import numpy as np

F4, F8, I8 = np.float32, np.float64, np.int64


def _record(**fields: int | tuple[int, ...]) -> np.dtype:
    """A record of float64 fields, each with its shape (0 for one number)."""
    return np.dtype([(name, F8) if shape == 0 else (name, F8, shape) for name, shape in fields.items()])


# -- what the stage fills ------------------------------------------------------------------------------------

MATERIAL = _record(
    base=3,  # albedo; of metals the colour they mirror
    second=3,  # a pattern's other colour
    roughness=0,
    metalness=0,
    coat=0,
    coat_roughness=0,
    transmission=0,
    ior=0,
    absorption=3,  # within a clear solid [1/m]
    emission=3,  # [cd/m2]
    cutoff=0,  # opacity below which a cut-out is open; 0 if it is not cut out
    thin=0,  # a pane, whose two sides are one
    wet=0,
    pattern=0,
    scale=0,
    relief=0,
    turn=0,  # of its texture [rad]
    offset=2,
    boxed=0,  # projected from six sides, for want of texture coordinates
    base_map=0,
    normal_map=0,
    rough_map=0,
    emission_map=0,
    corners=0,  # its first triangle's row among all corners
    lamp=0,  # its row among the lamps
    translucency=3,
    normal_scale=0,
    toned=0,  # whether its quads have tones
    water=0,  # number of the body of water that it is; 0 is the sea
    varied=0,  # how much a plant of one's own model differs from others of it
    forms=0,  # of a far ridge: size of its spurs [m]; 0 for all else
    snow_from=0,  # height about which snow begins to lie on it [m]
)
"""The material of a model, of timber, of far ground (their base alone) and of far ridges (base, rock as the second)."""

PLANT_MATERIAL = _record(
    reflected=(4, 3),
    transmitted=(4, 3),
    height=0,
    root=3,  # what its colour is multiplied by at its foot
    tip=3,  # and at its top
    side=3,  # and on one side of it
    side_direction=2,  # the way that side faces; 0 if no side is another than the rest
    varied=0,  # how much leaf differs from leaf and plant from plant; 1 is usual
    strip=4,  # quads that make up one leaf of each surface
    sheen=0,  # GGX alpha of the leaves' upper side
)
"""The material of a plant; its surfaces are bark, leaf, stalk and plume."""

CORNER = np.dtype([("uv", F4, (3, 2)), ("normal", F4, (3, 3)), ("tangent", F4, 3), ("widths", F4)])
"""A textured triangle: at each corner its place on the texture and its normal; the way of growing u; texture widths in
a metre."""

LAMP = _record(
    kind=0,
    position=3,
    side_a=3,
    side_b=3,
    direction=3,
    light=3,  # intensity [cd] of points and spots, luminance [cd/m2] of the others
    cos_inner=0,
    cos_outer=0,
    area=0,
    power=0,
    reach2=0,
    first=0,  # triangles of a glowing mesh
    count=0,
    source=0,  # radius of a spot's shining part [m]
    gobo=0,  # number of what a spot's light is thrown through, or -1
    gobo_far=0,  # [m] from the lamp
    gobo_half=0,  # half its width [m]
    table=0,  # number of the picture that says how much light goes where, or -1
    tan_spread=0,  # half the width at which parallel light's source is seen, as a tangent
)
PORTAL = _record(position=3, side_a=3, side_b=3, direction=3, area=0, reach=0, aside=0)
"""An opening that daylight comes in by: its middle, half sides, its way in, and how deep and how far to its sides the
room is in which it is looked through."""
EMITTER = _record(corner=3, side_a=3, side_b=3, cdf=0)
"""An emitting triangle: a corner, two sides, and the cumulative fraction of the lamp's area up to and with it."""

SUN = _record(
    direction=3,
    illuminance=3,
    tan_radius=0,
    flat=0,  # height of its disc over its width, as air flattens it
    by_moon=0,  # whether it is the moon, whose face is seen, that lights
    azimuth=0,
    far=0,  # how far an environment picture is taken to be from its middle [m]; 0 is endlessly far
    centre=3,
    across=3,
    up=3,
    gobo=0,  # number of what its light is thrown through, or -1
    gobo_at=3,  # where that stands, upright to the light
    gobo_a=3,  # its own right and up as the light goes, over half its width [1/m]
    gobo_b=3,
)
"""``azimuth`` is what directions of the sky's tables are told from: the sun's, or the middle of an environment
picture [rad]."""
NIGHT = _record(
    stars=0,  # how many, 0 for none
    band=3,  # the galaxy's band where it is brightest [cd/m2]
    turn=(3, 3),  # from the place's directions to those of the equator
    moon=0,  # whether it is there
    moon_direction=3,
    moon_right=3,  # on its disc, as it is seen
    moon_up=3,
    moon_tan=0,  # its radius
    moon_flat=0,  # its height over its width
    moon_turn=2,  # cosine and sine of the angle clockwise from up to its north
)
"""What shines at night; one record."""
FOG = _record(extinction=0, height=0, base=0, sunlight=3, ambient=3, asymmetry=0, open=0)
"""``open`` is the mean share of the sun's light that clouds leave, which ``sunlight`` has in it."""
CLOUD = _record(
    base=0,  # of the low clouds [m], and their top; both 0 without
    top=0,
    extinction=0,  # [1/m]
    side=0,  # of the square that repeats [m]
    offset=2,  # by which it has drifted [m]
    detail=0,  # how much of their edges is eaten away by what is finer than the grid
    grain=0,  # size of that [m]
    crisp=0,  # by how much their edges are closer than the grid has them
    shift=0,  # by which that has risen [m]
    grain_offset=2,  # and drifted [m]; in a loop it stays
    sunlight=3,  # on them [lx]
    above=3,  # light of the sky over them, and of the ground under them [cd/m2]
    below=3,
    veil_depth=0,  # optical depth of the high ones where they are thickest; 0 without
    veil_height=0,
    veil_amount=0,
    veil_direction=2,  # the way their fibres lie
    veil_fibrous=0,
    veil_offset=2,
    veil_seed=0,
    veil_light=3,  # sunlight on them [lx]
    haze_height=0,  # over which haze thins to a third [m]
    closed_over=0,  # how much of the air under them has their light in place of a clear sky's, from 0 to 1
    beneath=3,  # that light, the same every way [cd/m2]
)
"""Clouds; one record."""
BANK = _record(
    on=0,
    west=0,  # its grid [m]
    south=0,
    spacing=0,
    least=3,  # the box in which all of it lies [m]
    most=3,
    high=0,
    far=0,  # how far along a ray it is looked for [m]
    grain=0,  # size of its lumps [m]
    offset=4,  # by which two sets of them have drifted, east and north [m]
    share=0,  # of the first set
    turned=0,  # how far they have turned into others
    sunlight=3,  # [lx]
    ambient=3,  # light that a deep bank shows from all round [cd/m2]
    asymmetry=0,
)
"""Banks of fog; one record."""
WEATHER = _record(
    wet=0,  # how wet rain has made what is open to it, 0 to 1
    snow=0,  # how much snow lies, 0 to 1
    slant=2,  # metres east and north that rain goes for a metre down
    roof_west=0,  # the map of what rain falls on [m], by where its way meets the datum; no spacing without
    roof_south=0,
    roof_spacing=0,
    falling=0,  # how many drops and flakes there are
    veil=0,  # light that what falls takes of a far thing's [1/m]
    sunned=0,  # whether shadows on fog are looked for
)
"""What falls, and what it has made of surfaces; one record."""
GRID = _record(west=0, south=0, spacing=0, bump=0)
"""``bump`` is how much of the ground's grain is felt."""
TILES = _record(
    length=4,
    variance=4,
    slope_variance=0,
    streak=0,  # share of the surface that foam in the wind's streaks covers at most
    wind=2,  # the way it blows
    chop=0,  # length of the tile of small ripples, whose slopes have a variance of 1 [m]
    rain=0,  # length of the tile of rings [m]; 0 without rain
    caustic=0,  # length of the maps of light under water [m]; 0 without
    deepest=0,  # depth of the last of them [m]
    wash_low=0,  # heights over still water between which the wash's table lies [m]; both 0 without
    wash_high=0,
    latest=0,  # its columns go from so much of a wave sooner to as much later
    splash=0,  # height over the sea to which its waves wet what stands in it [m]
    wet_top=0,  # height that no water wets [m]
)
BODY = _record(
    absorption=3,  # what of a ray is lost [1/m]
    fading=3,  # of daylight with depth [1/m]
    colour=3,  # the light that comes out of deep water [cd/m2]
    drift=2,  # of the foam's lace [m]
    level=0,
    first=0,  # its grid: the first of its cells among all bodies', and where they lie [m]
    rows=0,
    columns=0,
    west=0,
    south=0,
    spacing=0,
    ruffle=0,  # root mean square slope that the wind gives it
    offset=2,  # seconds that ripples have gone with the stream, of each of two sets
    share=0,  # of the first set
    filmed=0,  # whether its depth is told by its grid, not by the ground under it
)
"""A body of water; the first is the sea."""
PATCH = _record(west=0, south=0, spacing=0, side=0, first=0, body=0)
"""A square of water that something has stirred: where its cells lie [m], how many a side, which is the first, and of
which body of water it is."""

# -- what the integrator works in ----------------------------------------------------------------------------

SOURCES = 8

PATH = np.dtype(
    [
        ("origin", F8, 3),
        ("direction", F8, 3),
        ("throughput", F8, 3),
        ("chosen_at", F8, 3),  # where the direction was last sampled
        ("pdf", F8),  # [1/sr] with which; 0 if it could go nowhere else
        ("near", F8),  # how far from the origin surfaces count [m]
        ("travelled", F8),
        ("spread", F8),  # angle of a pixel [rad]
        ("limit", F8),  # most light that this sample may still bring [cd/m2]
        ("by", F8, (SOURCES, 3)),  # light by where it comes from; the sum is the picture
        ("aside", F8, 3),  # what was above the limit
        ("pixel", I8),
        ("sample", I8),
        ("step", I8),
        ("depth", I8),  # matt surfaces met
        ("reflected", I8),
        ("passed", I8),  # clear surfaces
        ("inside", I8),  # the part of the clear solid that it is in, or -1
        ("plain", I8),  # only mirrors and clear things since a direction was chosen
        ("in_water", I8),  # 1 if it went in from over it, whose surface it meets no more; 2 if it began in it
        ("body", I8),  # number of the water that it is in
        ("skims", I8),  # goes on to the bed under a film of water
        ("seen", I8),  # its first surface is noted
        ("mirrored", I8),  # its first surface reflected it
    ]
)

HIT = np.dtype(
    [
        ("position", F8, 3),
        ("normal", F8, 3),
        ("geometric", F8, 3),
        ("distance", F8),
        ("missed", I8),
        ("instance", I8),
        ("primitive", I8),
        ("part", I8),
        ("kind", I8),
        ("layer", I8),  # which of its part's surfaces
        ("bary", F8, 2),
        ("footprint", F8),  # width of the ray there [m]
        ("entering", I8),
        ("cos_out", F8),
        ("lift", F8),  # how far a ray starts off the surface, so as not to meet it [m]
        ("glossy", I8),  # whether gloss and coat are lobes of their own
        ("leaf", I8),  # whether light passes through
        ("first", I8),  # whether it is the sample's first
        ("submerged", F8),  # how far under the water's level [m]
        ("caustic", F8),  # by how much waves gather the sun there
        ("local", F8, 3),  # its point in its placement's own frame
        ("local_normal", F8, 3),
        ("layout", F8, 3),  # its place on the texture, and texture widths in a metre
        ("texel", F8, 4),
        ("tangent", F8, 3),  # of its normal map
        ("bitangent", F8, 3),
        ("relief", F8, 3),  # height and slopes of what stands up from the ground near the eye
    ]
)

LOBES = _record(
    albedo=3,
    through=3,
    f0=3,
    emission=3,
    tint=3,  # of what passes a clear thing
    alpha=0,
    coat=0,
    coat_alpha=0,
    transmission=0,
    ior=0,
    thin=0,
    # filled by `scattering.prepare`: probabilities of the next ray, directional albedos, and multiple scattering
    p_coat=0,
    p_gloss=0,
    p_matt=0,
    p_back=0,
    e_gloss=3,
    e_coat=0,
    boost=0,
    coat_boost=0,
    # answered by `scattering.evaluate` [1/sr]
    matt=3,
    gloss=3,
    # room for choosing a direction: two unit vectors across the normal, and the ray that came in
    tangent=3,
    bitangent=3,
    incoming=3,
)
"""How one point of a surface scatters light."""

LIGHT_SAMPLE = _record(direction=3, radiance=3, distance=0, pdf=0, weight=0, left=3, shaded=0)
"""A sampled direction to a light: its radiance and distance, the pdf of the direction (0 for a delta light), its MIS
weight, the transmittance of clear things on the way, and the fraction of the sun that clouds and banks of fog
keep off."""

CUT = _record(at=3, local=3, local_normal=3, layout=3, texel=4)
"""Where a shadow ray meets a cut-out that it looks through; its fields but the first are `HIT`'s of the same names."""

WORK = _record(
    # each field belongs to one file, which alone names it (tests/core/trace/test_kernel_scratch.py)
    shadow_start=3,  # lights: of a shadow ray
    glint_start=3,
    open_air=3,  # lights: a spot of the ray from an eye in a room
    glitter_start=3,  # surfaces/water
    facet_tangent=3,
    facet_bitangent=3,
    fog_spot=3,  # beams: a spot of the fog that the ray goes through
    bank=3,  # what a bank of fog sends on
    fog_noise=4,
    lit_spot=3,  # shafts: a spot of a lamp's light in the air
    lattice_direction=3,  # cloud_lattice
    lattice_sky=3,
    lattice_noise=4,
    high_clouds=3,
    clear_sky=3,  # media: the sky behind low clouds
    low_clouds=3,
    cloud_noise=4,
    clouds=3,  # light of the clouds along the ray: cloud_lattice writes it, media reads it
)
"""Room in which files of the integrator work."""
