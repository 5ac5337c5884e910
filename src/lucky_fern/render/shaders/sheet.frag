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

// Values 0 to 1 as colours that the eye tells apart, darker to lighter throughout.
vec3 false_colour(float x) {
    x = clamp(x, 0.0, 1.0) * 4.0;
    vec3 low = vec3(0.07, 0.09, 0.28), blue = vec3(0.12, 0.36, 0.56), green = vec3(0.27, 0.62, 0.42);
    vec3 ochre = vec3(0.86, 0.74, 0.28), white = vec3(0.99, 0.97, 0.90);
    return x < 1.0 ? mix(low, blue, x) : x < 2.0 ? mix(blue, green, x - 1.0)
        : x < 3.0 ? mix(green, ochre, x - 2.0) : mix(ochre, white, x - 3.0);
}

// A map by its number: what is alone, in false colours if it is one number, or how far it is from another.
vec3 alone(int which) {
    vec4 base = painted_colour(), orm = painted_surface();
    if (which == 0) return encode(base.rgb);
    if (which == 3) return painted_normal();
    if (which == 6) return encode(painted_glow());
    return vec3(which == 1 ? orm.b : which == 2 ? orm.g : which == 4 ? orm.a : which == 5 ? orm.r : base.a);
}

vec3 looked_at() {
    vec3 own = alone(shown);
    if (other >= 0) {
        vec3 away = abs(own - alone(other));
        return false_colour(max(away.r, max(away.g, away.b)));
    }
    bool number = shown != 0 && shown != 3 && shown != 6;
    return falsely && number ? false_colour(own.r) : own;
}

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
