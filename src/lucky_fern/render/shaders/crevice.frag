#version 330 core
// How open the surface is to the light from all around, from the depths of the picture alone: places on a disc
// round each pixel that lie in front of the surface's own plane close it. The disc has one size on the surface.
// After M. McGuire, B. Osman, M. Bukowski and P. Hennessy, "The Alchemy Screen-Space Ambient Obscurance Algorithm", 2011.
in vec2 place;
uniform sampler2D depth;
uniform mat4 to_place;      // from clip space to the eye's
uniform float reach;        // of what closes, in units
uniform vec2 scale;         // of clip space over the eye's, at depth 1
uniform bool parallel;
out vec4 result;

const int TAPS = 14;
const float TURNS = 5.0;

vec3 seen(vec2 at) {
    vec4 p = to_place * vec4(vec3(at, texture(depth, at).r) * 2.0 - 1.0, 1.0);
    return p.xyz / p.w;
}

void main() {
    vec2 here = place * 0.5 + 0.5;
    if (texture(depth, here).r >= 1.0) { result = vec4(1.0); return; }
    vec2 texel = 1.0 / vec2(textureSize(depth, 0));
    vec3 p = seen(here);
    // The flatter of both neighbours each way: edges must not bend the plane.
    vec3 r = seen(here + vec2(texel.x, 0.0)) - p, l = p - seen(here - vec2(texel.x, 0.0));
    vec3 u = seen(here + vec2(0.0, texel.y)) - p, d = p - seen(here - vec2(0.0, texel.y));
    vec3 n = normalize(cross(abs(r.z) < abs(l.z) ? r : l, abs(u.z) < abs(d.z) ? u : d));
    vec2 radius = reach * scale * (parallel ? 1.0 : 1.0 / max(-p.z, 1e-6)) * 0.5;
    float spin = fract(52.9829189 * fract(dot(gl_FragCoord.xy, vec2(0.06711056, 0.00583715)))) * 6.2831853;
    float closed = 0.0;
    for (int i = 0; i < TAPS; i++) {
        float part = (float(i) + 0.5) / float(TAPS);
        float angle = part * TURNS * 6.2831853 + spin;
        vec3 v = seen(here + radius * part * vec2(cos(angle), sin(angle))) - p;
        float far = dot(v, v), up = dot(v, n) - 0.004 * reach;
        closed += max(up, 0.0) / (sqrt(far) + 1e-6) * max(1.0 - far / (reach * reach), 0.0);
    }
    result = vec4(clamp(1.0 - 2.2 * closed / float(TAPS), 0.0, 1.0));
}
