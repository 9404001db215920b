/**
 * Byte layouts shared by the WebAssembly module and the TypeScript that fills its memory.
 * Plain untyped numbers, so that both compilers read the same file. Offsets are in bytes.
 */

// Scratch memory of one thread: traversal stack and spilled loop invariants.
export const SCRATCH_BYTES = 65536;

// One triangle: three vertex indices and an object index.
export const TRIANGLE_BYTES = 16;

// BVH: bytes per node of eight children and per block of four triangles.
export const NODE_BYTES = 256;
export const NODE_CHILDREN = 192;
export const TRIANGLE_BLOCK_BYTES = 208;

// Object: role and material of a run of triangles.
export const OBJECT_BYTES = 48;
export const OBJECT_MATERIAL = 0; // u32
export const OBJECT_FLAGS = 4; // u32, OBJECT_IS_*
export const OBJECT_ALBEDO = 8; // 3 f32: colour of a set surface where the plate does not show it
export const OBJECT_ROUGHNESS = 20; // f32: roughness of the catcher's reflection
export const OBJECT_SPECULAR = 24; // f32: weight of the catcher's reflection, 0 for none
export const OBJECT_IS_SET = 1;
export const OBJECT_IS_CATCHER = 2;

// Material: glTF 2.0 metallic-roughness.
export const MATERIAL_BYTES = 96;
export const MATERIAL_BASE = 0; // 4 f32, linear
export const MATERIAL_EMISSIVE = 16; // 3 f32, linear
export const MATERIAL_METALLIC = 28; // f32
export const MATERIAL_ROUGHNESS = 32; // f32
export const MATERIAL_NORMAL_SCALE = 36; // f32
export const MATERIAL_FLAGS = 40; // u32, MATERIAL_*
export const MATERIAL_F0 = 44; // f32, reflectance of the dielectric at normal incidence
export const MATERIAL_BASE_TEXTURE = 48; // u32 texture index + 1, 0 for none
export const MATERIAL_SURFACE_TEXTURE = 52; // roughness in green, metallic in blue
export const MATERIAL_NORMAL_TEXTURE = 56;
export const MATERIAL_EMISSIVE_TEXTURE = 60;
export const MATERIAL_SEES_BACKDROP = 1;

// Texture: RGBA8 texels, rows from the top, both directions repeat.
export const TEXTURE_BYTES = 16;
export const TEXTURE_TEXELS = 0; // u32 address
export const TEXTURE_WIDTH = 4;
export const TEXTURE_HEIGHT = 8;

// Parameters of one render.
export const PARAM_BYTES = 512;
export const PARAM_SET_ROOT = 0; // u32 address of the set's root node, 0 for none
export const PARAM_PROP_ROOT = 4; // u32 the same of the props
export const PARAM_SET_BASE = 8; // u32 first triangle of the set
export const PARAM_PROP_BASE = 12; // u32 first triangle of the props
export const PARAM_POSITIONS = 16; // u32 address, 3 f32 a vertex
export const PARAM_NORMALS = 20; // u32 address, 3 f32 a vertex
export const PARAM_UVS = 24; // u32 address, 2 f32 a vertex
export const PARAM_TRIANGLES = 28; // u32 address
export const PARAM_OBJECTS = 32;
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
export const PARAM_FILL = 80; // u32 address of 3 f32 a cell: irradiance without the sun, 0 for none
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
export const PARAM_FILTER = 276; // f32 width of the pixel filter in pixels

// Film: f32 sums per pixel.
export const FILM_FLOATS = 28;
export const FILM_PROP = 0; // rgb, premultiplied
export const FILM_ALPHA = 3;
export const FILM_W_SUN = 4;
export const FILM_W0_SUN = 7;
export const FILM_W_SKY = 10;
export const FILM_W0_SKY = 13;
export const FILM_W_BOUNCE = 16;
export const FILM_W0_BOUNCE = 19;
export const FILM_ADDED = 22;
export const FILM_CATCHER = 25; // samples that met a catcher
export const FILM_DEPTH = 26; // distance along the view axis, summed over prop samples
export const FILM_SAMPLES = 27;
