/**
 * Byte layouts shared by the WebAssembly module and the TypeScript that fills its memory.
 * Plain untyped numbers, so that both compilers read the same file. Offsets are in bytes unless said otherwise.
 */

// Scratch memory of one thread: traversal stacks and spilled loop invariants, of triangles and of instances, and the
// light of a path by group: 6 f32 each, what the limit leaves alone and what it may cut.
export const SCRATCH_BYTES = 65536;
export const SCRATCH_INSTANCES = 32768;
export const SCRATCH_LIGHTS = 61440;
export const SCRATCH_RAYS = 61312; // four rays: of each five words u, v and direction, in planes (lens.ts)
export const MAX_LIGHT_GROUPS = 170;

// One triangle: three vertex indices and a part index.
export const TRIANGLE_BYTES = 16;

// BVH: bytes per node of eight children, per block of four triangles, and per block of four instance numbers.
export const NODE_BYTES = 256;
export const NODE_CHILDREN = 192;
export const TRIANGLE_BLOCK_BYTES = 160;
export const INSTANCE_BLOCK_BYTES = 16;
// How far beyond a tree's end the kernel may read: it fetches what is visited next without knowing how long that is.
export const LOOK_AHEAD_BYTES = 256;
// Set in a block's triangle number where a hit must be asked whether it stops the ray.
export const ASK_BIT = 0x80000000;

// Building: bytes a primitive, a binary node, and a binary node's plan of collapse.
export const RECORD_BYTES = 32;
export const BINARY_BYTES = 32;
export const PLAN_BYTES = 40;

// Part: what a run of triangles is made of, and for the set its role.
export const PART_BYTES = 48;
export const PART_MATERIAL = 0; // u32
export const PART_FLAGS = 4; // u32, PART_IS_*
export const PART_ALBEDO = 8; // 3 f32: colour of a set surface where the plate does not show it
export const PART_ROUGHNESS = 20; // f32: roughness of the catcher's reflection
export const PART_SPECULAR = 24; // f32: weight of the catcher's reflection, 0 for none
export const PART_GLOW = 28; // f32: light that a set surface sends out, in multiples of what the plate has there
export const PART_GLOW_COLOUR = 32; // 3 f32: what is multiplied where the plate does not show it
export const PART_IS_SET = 1;
export const PART_IS_CATCHER = 2;
export const PART_ASKS = 4; // cut out, seen through, or a set surface that not every ray meets: hits are asked
export const PART_OWN_COLOUR = 8; // a set surface that has its colour also where the plate shows it
// Rays that meet a set surface: from the camera, to sun and lamps, mirrored, scattered, to the sky.
export const SET_SEEN = 256;
export const SET_SHADOW = 512;
export const SET_REFLECTION = 1024;
export const SET_BOUNCE = 2048;
export const SET_BLOCKS = 4096;
export const SET_ALL = 7936;

// Instance of a model: 3x4 matrices by rows.
export const INSTANCE_BYTES = 160;
export const INSTANCE_INVERSE = 0; // 12 f32: world to model
export const INSTANCE_FORWARD = 48; // 12 f32: model to world, when the shutter opens
export const INSTANCE_END = 96; // 12 f32: the same when it closes
export const INSTANCE_ROOT = 144; // u32
export const INSTANCE_FLAGS = 148; // u32: RAY_* that meet it, INSTANCE_MOVES
export const INSTANCE_PROP = 152; // u32: number of its prop
export const INSTANCE_UNLIT = 156; // u32: a bit for each of the first 32 light groups that does not light it
export const INSTANCE_MOVES = 256;
export const RAY_CAMERA = 1;
export const RAY_SHADOW = 2;
export const RAY_REFLECTION = 4;
export const RAY_BOUNCE = 8;

// Material: glTF 2.0 metallic-roughness with extensions.
export const MATERIAL_BYTES = 288;
export const MATERIAL_BASE = 0; // 4 f32, linear
export const MATERIAL_EMISSIVE = 16; // 3 f32, linear
export const MATERIAL_METALLIC = 28; // f32
export const MATERIAL_ROUGHNESS = 32; // f32
export const MATERIAL_NORMAL_SCALE = 36; // f32
export const MATERIAL_FLAGS = 40; // u32, MATERIAL_*
export const MATERIAL_INDEX = 44; // f32, index of refraction
export const MATERIAL_SPECULAR = 48; // f32
export const MATERIAL_SPECULAR_COLOUR = 52; // 3 f32
export const MATERIAL_TRANSMISSION = 64; // f32
export const MATERIAL_ABSORPTION = 68; // 3 f32, per metre
export const MATERIAL_COAT = 80; // f32
export const MATERIAL_COAT_ROUGHNESS = 84; // f32
export const MATERIAL_SHEEN = 88; // 3 f32
export const MATERIAL_SHEEN_ROUGHNESS = 100; // f32
export const MATERIAL_ANISOTROPY = 104; // f32
export const MATERIAL_ANISOTROPY_TURN = 108; // 2 f32, cosine and sine
export const MATERIAL_CUTOFF = 116; // f32
export const MATERIAL_NUMBER = 120; // u32, for the mattes
export const MATERIAL_LAMP = 124; // f32: luminance by which its triangles are drawn as lamps, 0 where they are not
export const MATERIAL_BASE_TEXTURE = 128; // texture slots
export const MATERIAL_SURFACE_TEXTURE = 160; // roughness in green, metallic in blue
export const MATERIAL_NORMAL_TEXTURE = 192;
export const MATERIAL_EMISSIVE_TEXTURE = 224;
export const MATERIAL_WEAR = 256; // 6 f32: dirt, rust, scratches; lowest z, height and largest extent of the model
// Texture slot: number + 1 (0 for none), then a 2x3 matrix by rows from texture coordinates to the picture.
export const SLOT_MATRIX = 8;
export const MATERIAL_SEES_BACKDROP = 1;
export const MATERIAL_MASK = 2;
export const MATERIAL_BLEND = 4;
export const MATERIAL_TRANSMITS = 8;
export const MATERIAL_THIN = 16;

// Texture: RGBA8 texels, rows from the top, with its smaller copies.
export const TEXTURE_BYTES = 80;
export const TEXTURE_WIDTH = 0; // u32
export const TEXTURE_HEIGHT = 4; // u32
export const TEXTURE_LEVELS = 8; // u32
export const TEXTURE_WRAP = 12; // u32: 0 repeat, 1 clamp, 2 mirror; across in bits 0-1, down in bits 2-3
export const TEXTURE_LEVEL = 16; // u32 addresses, 16 at most
export const TEXTURE_MAX_LEVELS = 16;

// Lamp: an emitting area. Triangles of emissive props follow the lamps proper.
export const LAMP_BYTES = 112;
export const LAMP_KIND = 0; // u32, LAMP_IS_*
export const LAMP_GROUP = 4; // u32: light group on the film
export const LAMP_SHARE = 8; // f32: probability of being drawn
export const LAMP_SUM = 12; // f32: probability of it and all before it
export const LAMP_POSITION = 16; // 3 f32: centre, or first vertex
export const LAMP_U = 28; // 3 f32: half side, or first edge
export const LAMP_V = 40; // 3 f32
export const LAMP_NORMAL = 52; // 3 f32
export const LAMP_RADIANCE = 64; // 3 f32
export const LAMP_AREA = 76; // f32
export const LAMP_RADIUS = 80; // f32, of a sphere
export const LAMP_INNER = 84; // f32 cosine up to which a spot is full
export const LAMP_OUTER = 88; // f32 cosine beyond which it is dark; below -1 without a cone
export const LAMP_TRIANGLE = 92; // u32
export const LAMP_TWO_SIDED = 96; // u32
export const LAMP_PROFILE = 100; // u32 address of 181 f32 a column: share of its radiance at every degree from its axis; 0 for even
export const LAMP_COLUMNS = 104; // u32 columns around its axis
export const PROFILE_ROWS = 181;
export const LAMP_IS_RECTANGLE = 0;
export const LAMP_IS_DISC = 1;
export const LAMP_IS_SPHERE = 2;
export const LAMP_IS_TRIANGLE = 3;

// Light groups: sun, sky, bounce, then one a lamp.
export const GROUP_SUN = 0;
export const GROUP_SKY = 1;
export const GROUP_BOUNCE = 2;
export const GROUP_LAMPS = 3;

// Casters of the shades that the plate has: upright silhouettes.
export const CASTER_BYTES = 64;
export const CASTER_TO_SUN = 0; // f32 x, y: horizontal unit vector
export const CASTER_FOOT = 8; // f32 metres from the origin towards the sun
export const CASTER_SLANT = 12; // f32 by how much it is farther a metre along (-y, x) of that vector
export const CASTER_LEFT = 16; // f32 metres along (-y, x)
export const CASTER_SPAN = 20; // f32 metres
export const CASTER_GROUND = 24; // f32 height of its lowest row's lower border
export const CASTER_TALL = 28; // f32 metres
export const CASTER_RADIANCE = 32; // f32 rgb
export const CASTER_CELLS = 44; // u32 address of 1 f32 a cell: share that it hides; rows upwards
export const CASTER_WIDTH = 48; // u32 cells
export const CASTER_HEIGHT = 52;

// Parameters of one render.
export const PARAM_BYTES = 1024;
export const PARAM_SET_ROOT = 0; // u32 address of the set's root node, 0 for none
export const PARAM_PROP_ROOT = 4; // u32 the same of the instances
export const PARAM_INSTANCES = 8; // u32 address
export const PARAM_POSITIONS = 16; // u32 address, 3 f32 a vertex
export const PARAM_NORMALS = 20; // u32 address, 3 f32 a vertex
export const PARAM_UVS = 24; // u32 address, 2 f32 a vertex
export const PARAM_TRIANGLES = 28; // u32 address
export const PARAM_PARTS = 32;
export const PARAM_MATERIALS = 36;
export const PARAM_TEXTURES = 40;
export const PARAM_SRGB_TABLE = 44; // u32 address of 256 f32
export const PARAM_FILM = 48; // u32 address
export const PARAM_WIDTH = 52; // u32 pixels of this render
export const PARAM_HEIGHT = 56;
export const PARAM_SEED = 60; // u32
export const PARAM_MAX_DEPTH = 64; // u32
export const PARAM_PLATE = 68; // u32 address of 3 f32 a pixel, 0 for none
export const PARAM_PLATE_WIDTH = 72; // u32
export const PARAM_PLATE_HEIGHT = 76;
export const PARAM_FILL = 80; // u32 address, 0 for none: 3 f32 a cell of irradiance without the sun, then 3 f32 a cell of what the set alone would send from all around, then 3 f32 a cell of the set's gloss towards the camera
export const PARAM_FILL_WIDTH = 84;
export const PARAM_FILL_HEIGHT = 88;
export const PARAM_MASK = 92; // u32 address of 1 f32 a cell: share of sun the plate still has, 0 for none
export const PARAM_MASK_WIDTH = 96;
export const PARAM_MASK_HEIGHT = 100;
export const PARAM_BACKDROP = 104; // u32 address of 3 f32 a pixel, latitude-longitude, 0 for none
export const PARAM_BACKDROP_WIDTH = 108;
export const PARAM_BACKDROP_HEIGHT = 112;
export const PARAM_FRAME_WIDTH = 116; // f32 plate pixels that the frame is wide
export const PARAM_FRAME_HEIGHT = 120;
export const PARAM_FOCAL = 124; // f32 plate pixels
export const PARAM_PRINCIPAL = 128; // 2 f32
export const PARAM_DISTORTION = 136; // 5 f32: k1 k2 k3 p1 p2
export const PARAM_ROTATION = 156; // 9 f32, world to camera
export const PARAM_POSITION = 192; // 3 f32
export const PARAM_SUN_DIRECTION = 204; // 3 f32, towards the sun
export const PARAM_SUN_COS = 216; // f32 cosine of the sun's angular radius
export const PARAM_SUN_IRRADIANCE = 220; // 3 f32, perpendicular to the sun
export const PARAM_SKY = 232; // 3 f32 radiance
export const PARAM_FLOOR_ON = 244; // u32
export const PARAM_FLOOR_HEIGHT = 248; // f32
export const PARAM_FLOOR_ALBEDO = 252; // 3 f32
export const PARAM_CANCEL = 264; // u32 address of an i32 generation counter, 0 for none
export const PARAM_GENERATION = 268; // i32 generation this render belongs to
export const PARAM_PICTURE = 272; // u32: 1 renders everything as seen, 0 renders props and catchers over a plate
export const PARAM_FILTER = 276; // u32 address of FILTER_CELLS + 1 f32: offsets in pixels by cumulated weight
export const PARAM_LAMPS = 280; // u32 address
export const PARAM_LAMP_COUNT = 284; // u32 all that are drawn
export const PARAM_LAMP_PROPER = 288; // u32 those that are no triangles; they come first
export const PARAM_LAMP_POWER = 292; // f32 sum of luminance times area over all
export const PARAM_ENVIRONMENT = 296; // u32 address of 3 f32 a pixel, latitude-longitude, 0 for none
export const PARAM_ENVIRONMENT_WIDTH = 300;
export const PARAM_ENVIRONMENT_HEIGHT = 304;
export const PARAM_ENVIRONMENT_ALIAS = 308; // u32 address of (f32 keep, u32 other) a pixel
export const PARAM_ENVIRONMENT_WEIGHT = 312; // u32 address of 1 f32 a pixel: probability times pixels
export const PARAM_ALBEDO_TABLE = 316; // u32 address: directional albedo of GGX
export const PARAM_SHEEN_TABLE = 320; // u32 address: the same of the sheen
export const PARAM_LENS_RADIUS = 324; // f32 metres, 0 for a pinhole
export const PARAM_FOCUS = 328; // f32 metres along the view axis
export const PARAM_BLADES = 332; // u32, below 3 for a round opening
export const PARAM_BLADE_TURN = 336; // f32 radians
export const PARAM_OCCLUSION = 340; // f32 metres that ambient occlusion looks, 0 for off
export const PARAM_LIMIT = 344; // f32 most that light from beyond the first bounce may add to a sample, 0 for no limit
export const PARAM_SPREAD = 348; // f32 radians between pixels
export const PARAM_FILM_STRIDE = 352; // u32 floats a pixel
export const PARAM_FILM_LIGHTS = 356; // u32 floats: sums by light group
export const PARAM_FILM_HALF = 360; // u32 floats: sums of the even samples, 0 for none
export const PARAM_FILM_FEATURES = 364; // u32 floats, 0 for none
export const PARAM_FILM_EXTRAS = 368; // u32 floats, 0 for none
export const PARAM_FILM_PROPS = 372; // u32 floats: coverage by prop, 0 for none
export const PARAM_FILM_MATERIALS = 376; // u32 floats: coverage by material, 0 for none
export const PARAM_FILM_PROP_LIGHTS = 384; // u32 floats: light on the props by group, 3 each, 0 for none
export const PARAM_TANGENTS = 388; // u32 address, 3 f32 a vertex, 0 where no material has a grain
export const PARAM_SHUTTER = 380; // u32: 1 where anything moves
export const PARAM_CASTERS = 392; // u32 address, and number
export const PARAM_CASTER_COUNT = 396;
export const PARAM_COLOURS = 400; // u32 address, RGBA bytes a vertex as on a screen, 0 where no mesh has any
export const PARAM_TURNED = 404; // u32: 1 where what follows counts for the environment
export const PARAM_TURN = 408; // 9 f32, row-major: from world to the environment's picture; may mirror
export const PARAM_ENVIRONMENT_GAIN = 444; // 3 f32
export const PARAM_EXTENT = 456; // u32 EXTENT_*, 0 for endless
export const PARAM_EXTENT_CENTRE = 460; // 3 f32
export const PARAM_EXTENT_HALF = 472; // 3 f32: half sides of the box; the first is the sphere's radius

export const PARAM_PORTALS = 484; // u32 address, and number
export const PARAM_PORTAL_COUNT = 488;

// Portal: an opening of a room, a rectangle.
export const PORTAL_BYTES = 80;
export const PORTAL_CORNER = 0; // 3 f32
export const PORTAL_U = 12; // 3 f32: its sides
export const PORTAL_V = 24;
export const PORTAL_INWARDS = 36; // 3 f32, of length 1
export const PORTAL_LOW = 48; // 3 f32: box of the room
export const PORTAL_HIGH = 60;
export const PORTAL_AREA = 72; // f32

export const EXTENT_IS_SPHERE = 1;
export const EXTENT_IS_BOX = 2;
export const EXTENT_IS_DOME = 3; // a sphere with a level floor, the third of its halves below the centre

export const FILTER_CELLS = 256;
export const ALBEDO_CELLS = 64; // cosine across, roughness down
export const SHEEN_CELLS = 32;

// Film: f32 sums per pixel, as numbers of floats. What is here is always there; more follows by parameter.
export const FILM_PROP = 0; // rgb, premultiplied
export const FILM_ALPHA = 3;
export const FILM_ADDED = 4;
export const FILM_CATCHER = 7; // samples that met a catcher
export const FILM_DEPTH = 8; // distance along the view axis, summed over prop samples
export const FILM_SAMPLES = 9;
export const FILM_SET = 10; // samples that met the set, whether it catches or blocks
export const FILM_LIMITED = 11; // samples whose light was limited
export const FILM_GLOSS = 12; // rgb, the catcher's own reflection without the props
export const FILM_BASE_FLOATS = 15;
// For each light group: rgb with the props, rgb without.
export const LIGHT_FLOATS = 6;
// Even samples only.
export const HALF_PROP = 0;
export const HALF_ALPHA = 3;
export const HALF_ADDED = 4;
export const HALF_W = 7;
export const HALF_W0 = 10;
export const HALF_CATCHER = 13;
export const HALF_GLOSS = 14;
export const HALF_FLOATS = 17;
export const FEATURE_ALBEDO = 0;
export const FEATURE_NORMAL = 3;
export const FEATURE_SHOWN = 6; // what a smooth surface mirrors and lets through
export const FEATURE_FLOATS = 9;
export const EXTRA_EMISSION = 0;
export const EXTRA_POSITION = 3;
export const EXTRA_OCCLUSION = 6; // share of the hemisphere that is open
export const EXTRA_OCCLUSION_SAMPLES = 7;
export const EXTRA_FLOATS = 8;

// Denoising, see core/trace/denoise.
export const DENOISE_REACH = 6; // pixels to each side that a pixel is averaged with
export const DENOISE_FEATURES = 8;
export const DENOISE_STRICT = 0.6; // difference, in standard deviations, at which a place counts little
export const DENOISE_FEATURE_STRICT = 0.45; // features differ when they are this far apart beyond their own local slope
export const DENOISE_LEAST_SLOPE = 0.0012; // squared slope that every feature is taken to have
export const DENOISE_APART = 20; // beyond this distance a place counts nothing
export const DENOISE_TERMS = 13; // floats that the filter keeps its constants in
export const DENOISE_MARGIN = 12; // floats to each side of a row of scratch, more than what is looked at and three

export const BLOCK_PLAN_BYTES = 24; // of a channel of an OpenEXR block (blocks.ts)
export const UNBLOCK_PLAN_BYTES = 16; // of the same when it is read
export const BLOCK_UINT = 0; // what its values are stored as
export const BLOCK_HALF = 1;
export const BLOCK_FLOAT = 2;
