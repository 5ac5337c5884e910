#version 330 core
in float up;
in vec2 place;
uniform vec3 low;
uniform vec3 high;
uniform bool own;                 // a panorama is seen in place of the two
uniform sampler2D panorama;       // linear light
uniform vec3 right;               // half of what is seen across and upwards, and towards the eye
uniform vec3 above;
uniform vec3 back;
uniform float sky_turn;           // round Y, radians
uniform float softness;           // levels of the mips
uniform float exposure;
out vec4 result;
vec3 encode(vec3 linear) {
    linear = clamp(linear, 0.0, 1.0);
    return mix(12.92 * linear, 1.055 * pow(linear, vec3(1.0 / 2.4)) - 0.055, step(0.0031308, linear));
}
void main() {
    if (!own) { result = vec4(mix(low, high, up), 1.0); return; }
    vec3 ray = normalize(right * place.x + above * place.y - back);
    float c = cos(sky_turn), s = sin(sky_turn);
    vec3 d = vec3(c * ray.x + s * ray.z, ray.y, -s * ray.x + c * ray.z);
    vec2 at = vec2(atan(d.x, d.z) / 6.28318531 + 0.5, acos(clamp(d.y, -1.0, 1.0)) / 3.14159265);
    // Five places for one, or single texels of the mips would show as squares.
    vec2 step = exp2(softness) * 0.5 / vec2(textureSize(panorama, 0));
    vec3 light = textureLod(panorama, at, softness).rgb * 2.0;
    light += textureLod(panorama, at + vec2(step.x, 0.0), softness).rgb;
    light += textureLod(panorama, at - vec2(step.x, 0.0), softness).rgb;
    light += textureLod(panorama, at + vec2(0.0, step.y), softness).rgb;
    light += textureLod(panorama, at - vec2(0.0, step.y), softness).rgb;
    result = vec4(encode(light / 6.0 * exposure), 1.0);
}
