#version 330 core
// Metallic-roughness shading as glTF 2.0 appendix B describes it (GGX, Smith, Schlick), lit by one lamp
// and by a small environment; or one map alone, as it is stored.
in vec3 position;
in vec3 normal;
in vec4 tangent;
in vec2 uv;
uniform sampler2D colour_map;     // sRGB texture: arrives linear; alpha is opacity
uniform sampler2D surface_map;    // occlusion, roughness, metallic, height
uniform sampler2D normal_map;
uniform sampler2D emissive_map;
uniform sampler2D reflections;
uniform vec3 irradiance[9];
uniform vec3 eye;
uniform vec3 eye_direction;       // towards the eye, for parallel views
uniform bool parallel;
uniform vec3 lamp;                // direction towards it
uniform float turn;               // of the environment round Y, radians
uniform float lamp_gain;          // how many times as strong each is
uniform float ambient_gain;
uniform float specular_gain;
uniform float gloss_gain;
uniform float fresnel_gain;
uniform float glow_gain;
uniform float exposure;
uniform bool shadows;             // whether the two below hold something
uniform sampler2D lamp_depth;     // depths as the lamp sees them
uniform sampler2D open;           // how open each pixel is to the light from all around
uniform mat4 to_lamp;
uniform float lamp_texel;         // of those depths, in units
uniform vec4 viewport;
uniform int look;                 // 0 shaded, 1 flat colour, 2 one map alone, 3 checker, 4 what glows alone, linear
uniform vec2 squares;             // of the checker, across a sheet and down
uniform int shown;                // which map is alone
uniform int other;                // its difference from which is shown; -1: itself
uniform bool falsely;             // maps of one number in false colours
uniform bool painted;             // false: no sheet, plain grey
uniform bool by_numbers;          // shaded as older games do
uniform vec4 weights;             // ambient, diffuse, specular, power
uniform vec3 fresnel;             // least, most, power
out vec4 result;

const float PI = 3.14159265;

vec3 encode(vec3 linear) {
    linear = clamp(linear, 0.0, 1.0);
    return mix(12.92 * linear, 1.055 * pow(linear, vec3(1.0 / 2.4)) - 0.055, step(0.0031308, linear));
}

vec4 painted_colour() { return painted ? texture(colour_map, uv) : vec4(vec3(0.35), 1.0); }
vec4 painted_surface() { return painted ? texture(surface_map, uv) : vec4(1.0, 0.7, 0.0, 0.5); }
vec3 painted_normal() { return painted ? texture(normal_map, uv).rgb : vec3(0.5, 0.5, 1.0); }
vec3 painted_glow() { return painted ? texture(emissive_map, uv).rgb : vec3(0.0); }

#include "alone.glsl"

vec3 turned(vec3 d) {
    float c = cos(turn), s = sin(turn);
    return vec3(c * d.x + s * d.z, d.y, -s * d.x + c * d.z);
}

vec3 ambient(vec3 n) {
    vec3 d = turned(n);
    vec3 sum = irradiance[0] * 0.282095 + irradiance[1] * 0.488603 * d.y + irradiance[2] * 0.488603 * d.z
        + irradiance[3] * 0.488603 * d.x + irradiance[4] * 1.092548 * d.x * d.y + irradiance[5] * 1.092548 * d.y * d.z
        + irradiance[6] * 0.315392 * (3.0 * d.z * d.z - 1.0) + irradiance[7] * 1.092548 * d.x * d.z
        + irradiance[8] * 0.546274 * (d.x * d.x - d.y * d.y);
    return max(sum, vec3(0.0));
}

vec3 reflected(vec3 r, float roughness) {
    vec3 d = turned(r);
    vec2 at = vec2(atan(d.x, d.z) / (2.0 * PI) + 0.5, acos(clamp(d.y, -1.0, 1.0)) / PI);
    return textureLod(reflections, at, roughness * 5.0).rgb;
}

// How much of the lamp's light arrives: depths of nine places, the point itself held off its own surface.
float lit(vec3 facing_lamp, float slant) {
    vec3 off = position + facing_lamp * lamp_texel * (1.0 + 2.0 * sqrt(max(1.0 - slant * slant, 0.0)));
    vec3 at = (to_lamp * vec4(off, 1.0)).xyz * 0.5 + 0.5;
    vec2 texel = 1.0 / vec2(textureSize(lamp_depth, 0));
    float sum = 0.0;
    for (int i = -1; i <= 1; i++)
        for (int j = -1; j <= 1; j++)
            sum += step(at.z - 0.0006, texture(lamp_depth, at.xy + vec2(i, j) * texel).r);
    return sum / 9.0;
}

// The mean of four by four pixels, over which the pattern of places repeats itself.
float openness() {
    vec2 at = (gl_FragCoord.xy - viewport.xy) / viewport.zw, texel = 1.0 / vec2(textureSize(open, 0));
    float sum = 0.0;
    for (int i = 0; i < 2; i++)
        for (int j = 0; j < 2; j++)
            sum += texture(open, at + (vec2(i, j) * 2.0 - 1.0) * texel).r;
    return sum * 0.25;
}

// Scale and bias of the specular colour under even light (a fit of the split-sum integral after
// B. Karis, "Physically Based Shading on Mobile", 2014).
vec2 split_sum(float roughness, float facing) {
    vec4 r = roughness * vec4(-1.0, -0.0275, -0.572, 0.022) + vec4(1.0, 0.0425, 1.04, -0.04);
    float a = min(r.x * r.x, exp2(-9.28 * facing)) * r.x + r.y;
    return vec2(-1.04, 1.04) * a + r.zw;
}

// Transparent parts show a quiet checker of the screen, as the sheet view does.
void finish(vec3 light, float opacity) {
    result = vec4(encode(light * exposure), opacity);
    if (opacity >= 0.999) return;
    float check = mod(floor(gl_FragCoord.x / 8.0) + floor(gl_FragCoord.y / 8.0), 2.0);
    result = vec4(mix(vec3(0.62 + 0.08 * check), result.rgb, opacity), 1.0);
}

void main() {
    if (painted && (any(lessThan(uv, vec2(-1e-5))) || any(greaterThan(uv, vec2(1.00001))))) discard;
    if (look == 3) {
        // Red grows with u and blue with v, so that turned and mirrored islands show.
        float check = mod(floor(uv.x * squares.x) + floor(uv.y * squares.y), 2.0);
        float level = 0.72 + 0.28 * normalize(normal).y;
        vec3 ink = vec3(0.55 + 0.4 * uv.x, 0.62, 0.55 + 0.4 * uv.y) * (check > 0.5 ? 1.0 : 0.55);
        result = vec4(painted ? ink * level : vec3(0.45 * level), 1.0);
        return;
    }
    if (look == 2) { result = vec4(looked_at(), 1.0); return; }
    vec4 base = painted_colour();
    if (look == 1) { result = vec4(encode(base.rgb), 1.0); return; }
    vec3 glow = painted_glow();
    if (look == 4) { result = vec4(glow * glow_gain * exposure, 1.0); return; }
    vec3 texel = painted_normal();
    vec4 orm = painted_surface();
    vec3 v = parallel ? eye_direction : normalize(eye - position);
    vec3 n = normalize(normal);
    vec3 t = tangent.xyz, b = tangent.w * cross(normal, tangent.xyz);
    vec3 bump = texel * 2.0 - 1.0;
    n = normalize(bump.x * t + bump.y * b + bump.z * normal);
    if (!gl_FrontFacing) n = -n;
    float facing = clamp(dot(n, v), 1e-3, 1.0);
    float roughness = clamp(1.0 - (1.0 - orm.g) * gloss_gain, 0.04, 1.0), metallic = orm.b;
    vec3 f0 = mix(vec3(0.04), base.rgb, metallic);
    vec3 matt = base.rgb * (1.0 - metallic);

    if (by_numbers) {
        // Diffuse and specular as the packaged maps hold them (KHR_materials_pbrSpecularGlossiness).
        float left = max(1.0 - max(f0.r, max(f0.g, f0.b)), 1e-4);
        vec3 diffuse = base.rgb * 0.96 * (1.0 - metallic) / left;
        float gloss = clamp((1.0 - orm.g) * gloss_gain, 0.0, 1.0), power = pow(weights.w, gloss);
        float rim = fresnel.x + (fresnel.y - fresnel.x) * pow(1.0 - facing, fresnel.z);
        vec3 towards = normalize(lamp), half_way = normalize(towards + v);
        float slant = clamp(dot(n, towards), 0.0, 1.0), on = clamp(dot(n, half_way), 0.0, 1.0);
        if (shadows && slant > 0.0) {
            vec3 outwards = normalize(normal) * (gl_FrontFacing ? 1.0 : -1.0);
            slant *= lit(outwards, dot(outwards, towards)) * step(0.0, dot(outwards, towards));
        }
        float open_to = shadows ? orm.r * openness() : orm.r;
        float blur = sqrt(2.0 / (power + 2.0));  // as rough as a highlight of that power is wide
        vec3 sum = weights.x * diffuse * ambient(n) * ambient_gain * open_to;
        sum += weights.y * diffuse / PI * slant * 1.15 * lamp_gain;
        sum += weights.z * f0 * rim * pow(on, power) * (slant > 0.0 ? 1.0 : 0.0) * 1.15 * lamp_gain * specular_gain;
        sum += weights.z * f0 * rim * reflected(reflect(-v, n), sqrt(blur)) * ambient_gain * open_to * specular_gain;
        finish(sum + glow * glow_gain, base.a);
        return;
    }

    vec2 sums = split_sum(roughness, facing);
    vec3 specular = reflected(reflect(-v, n), roughness) * (f0 * sums.x + sums.y);
    float around = shadows ? orm.r * openness() : orm.r;
    vec3 light = (matt * ambient(n) + specular * specular_gain) * around * ambient_gain;

    vec3 l = normalize(lamp), h = normalize(l + v);
    float nl = clamp(dot(n, l), 0.0, 1.0), nh = clamp(dot(n, h), 0.0, 1.0), vh = clamp(dot(v, h), 0.0, 1.0);
    float a = roughness * roughness, a2 = a * a;
    float d = a2 / (PI * pow(nh * nh * (a2 - 1.0) + 1.0, 2.0));
    float g = 0.5 / max(nl * sqrt(facing * facing * (1.0 - a2) + a2) + facing * sqrt(nl * nl * (1.0 - a2) + a2), 1e-4);
    vec3 f = f0 + (1.0 - f0) * pow(1.0 - vh, 5.0) * fresnel_gain;
    if (shadows && nl > 0.0) {
        vec3 outwards = normalize(normal) * (gl_FrontFacing ? 1.0 : -1.0);
        nl *= lit(outwards, dot(outwards, l)) * step(0.0, dot(outwards, l));
    }
    light += ((1.0 - f) * matt / PI + f * d * g * specular_gain) * nl * 1.15 * lamp_gain;

    finish(light + glow * glow_gain, base.a);
}
