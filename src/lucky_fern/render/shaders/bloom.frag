#version 330 core
// Light that spreads round what glows: a Gaussian along one direction, or the sum put over the picture.
in vec2 place;
uniform sampler2D light;          // linear
uniform vec2 way;                 // of one texel; zero to put it over the picture
uniform float strength;
out vec4 result;

vec3 encode(vec3 linear) {
    linear = clamp(linear, 0.0, 1.0);
    return mix(12.92 * linear, 1.055 * pow(linear, vec3(1.0 / 2.4)) - 0.055, step(0.0031308, linear));
}

void main() {
    vec2 at = place * 0.5 + 0.5;
    if (way == vec2(0.0)) { result = vec4(encode(texture(light, at).rgb * strength), 0.0); return; }
    vec3 sum = vec3(0.0);
    float weights = 0.0;
    for (int k = -8; k <= 8; k++) {
        float weight = exp(-float(k * k) / 24.5);
        sum += weight * texture(light, at + way * float(k)).rgb;
        weights += weight;
    }
    result = vec4(sum / weights, 1.0);
}
