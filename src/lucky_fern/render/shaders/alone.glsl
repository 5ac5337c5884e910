// One map alone; whoever includes it has encode() and what is painted.
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
