#version 330 core
in vec2 uv;
uniform sampler2D colour_map;
uniform sampler2D surface_map;
uniform sampler2D normal_map;
uniform sampler2D emissive_map;
uniform int shown;                // -1: the checker
uniform int other;                // its difference from which is shown; -1: itself
uniform bool falsely;             // maps of one number in false colours
uniform vec2 squares;             // of the checker, across a sheet and down
out vec4 result;
vec3 encode(vec3 linear) {
    return mix(12.92 * linear, 1.055 * pow(linear, vec3(1.0 / 2.4)) - 0.055, step(0.0031308, linear));
}
vec4 painted_colour() { return texture(colour_map, uv); }
vec4 painted_surface() { return texture(surface_map, uv); }
vec3 painted_normal() { return texture(normal_map, uv).rgb; }
vec3 painted_glow() { return texture(emissive_map, uv).rgb; }

#include "alone.glsl"

void main() {
    if (shown < 0) {
        float odd = mod(floor(uv.x * squares.x) + floor(uv.y * squares.y), 2.0);
        result = vec4(vec3(0.55 + 0.4 * uv.x, 0.62, 0.55 + 0.4 * uv.y) * (odd > 0.5 ? 1.0 : 0.55), 1.0);
        return;
    }
    if (shown == 0 && other < 0) {
        vec4 base = painted_colour();
        float check = mod(floor(gl_FragCoord.x / 8.0) + floor(gl_FragCoord.y / 8.0), 2.0);
        result = vec4(mix(vec3(0.62 + 0.08 * check), encode(base.rgb), base.a), 1.0);
    } else result = vec4(looked_at(), 1.0);
}
