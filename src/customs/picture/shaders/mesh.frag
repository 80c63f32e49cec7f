#version 330
in vec3 position;
in vec3 normal;
in vec4 tangent;
in vec2 uv0;
in vec2 uv1;
in vec4 colour;
uniform vec3 eye;
uniform vec3 sun;             // towards the first light
uniform vec4 lights;          // strengths of first light, fill, rim, surroundings
uniform int shading;        // 0 surface, 1 plain, 2 faces by side, 3 checker, 4 texel density
uniform bool has_normals;
uniform bool has_tangents;
uniform bool unlit;
uniform vec4 base_factor;
uniform vec3 emissive_factor;
uniform float metallic_factor;
uniform float roughness_factor;
uniform float normal_strength;
uniform float occlusion_strength;
uniform int alpha_mode;     // 0 opaque, 1 mask, 2 blend
uniform float alpha_cutoff;
uniform bool mirrored;      // front faces wind the other way in this scene's numbers
uniform int slots;          // bits: 1 base, 2 metallic-roughness, 4 normal, 8 occlusion, 16 emissive, 32 detail, 64 detail normal
uniform int second_set;     // bits as above: slot uses the second UV set
#ifdef LAYERED
uniform mat3 uv_maps[14];  // in the order of the bits
#else
uniform mat3 uv_maps[7];
#endif
uniform float detail_strength;
uniform float green;        // -1 where a bright green leans down
uniform vec2 texels;        // size of the colour texture in pixels
uniform vec3 tint;
uniform bool filled;        // insides of solids are of one dark colour
uniform float below;        // metres below which nothing is seen
uniform bool marked;        // everything drawn is marked (a picked place)
uniform sampler2D tex_base;
uniform sampler2D tex_metal;
uniform sampler2D tex_normal;
uniform sampler2D tex_occlusion;
uniform sampler2D tex_emissive;
uniform sampler2D tex_detail;
uniform sampler2D tex_detail_normal;
#ifdef LAYERED
uniform float ior;
uniform vec4 all_specular;  // tint, strength; with textures and without `all_` at one place
uniform vec2 all_coat;      // share, roughness
uniform vec4 all_sheen;     // tint, roughness
uniform vec3 all_film;      // share, index of refraction, thickness in nanometres
uniform vec4 all_through;   // tint of what is behind, share
uniform sampler2D tex_specular_strength;
uniform sampler2D tex_specular_tint;
uniform sampler2D tex_clearcoat;
uniform sampler2D tex_clearcoat_roughness;
uniform sampler2D tex_transmission;
uniform sampler2D tex_sheen_tint;
uniform sampler2D tex_iridescence;
vec4 specular, sheen, through;
vec2 coat;
vec3 film;
uniform vec4 behind;        // tint of light from behind, share
#endif
out vec4 result;

vec3 to_linear(vec3 c) { return pow(c, vec3(2.2)); }
vec3 to_srgb(vec3 c) { return pow(max(c, vec3(0.0)), vec3(1.0 / 2.2)); }
vec2 coords(int place) { return (uv_maps[place] * vec3((second_set & (1 << place)) != 0 ? uv1 : uv0, 1.0)).xy; }

vec3 surface_normal(bool front) {
    vec3 n = has_normals ? normalize(normal) : normalize(cross(dFdx(position), dFdy(position)));
    if (!has_normals && dot(n, eye - position) < 0.0) n = -n;
    if (has_normals && !front) n = -n;
    if ((slots & 68) == 0) return n;
    vec2 uv = coords((slots & 4) != 0 ? 2 : 6);
    vec3 t, b;
    if (has_tangents) {
        t = normalize(tangent.xyz);
        b = cross(n, t) * tangent.w;
    } else {
        vec3 dp1 = dFdx(position), dp2 = dFdy(position);
        vec2 du1 = dFdx(uv), du2 = dFdy(uv);
        vec3 r = dp1 * du2.y - dp2 * du1.y;
        if (dot(r, r) < 1e-16) return n;
        t = normalize(r - n * dot(n, r)) * sign(du1.x * du2.y - du2.x * du1.y);
        b = -cross(n, t) * sign(du1.x * du2.y - du2.x * du1.y) * -1.0;
    }
    vec3 s = vec3(0.0, 0.0, 1.0);
    if ((slots & 4) != 0) {
        s = texture(tex_normal, uv).xyz * 2.0 - 1.0;
        s.xy *= normal_strength;
    }
    if ((slots & 64) != 0) {
        vec3 d = texture(tex_detail_normal, coords(6)).xyz * 2.0 - 1.0;
        s = vec3(s.xy + d.xy, s.z * d.z);
    }
    s.y *= green;
    return normalize(s.x * t + s.y * b + s.z * n);
}

#ifdef LAYERED
bool has(int place) { return shading == 0 && (slots & (1 << place)) != 0; }

// The layers at this place: numbers times texels, by the channels their extensions name.
void layers_here() {
    specular = all_specular; coat = all_coat; sheen = all_sheen; film = all_film; through = all_through;
    if (has(7)) specular.a *= texture(tex_specular_strength, coords(7)).a;
    if (has(8)) specular.rgb *= to_linear(texture(tex_specular_tint, coords(8)).rgb);
    if (has(9)) coat.x *= texture(tex_clearcoat, coords(9)).r;
    if (has(10)) coat.y *= texture(tex_clearcoat_roughness, coords(10)).g;
    if (has(11)) through.a *= texture(tex_transmission, coords(11)).r;
    if (has(12)) sheen.rgb *= to_linear(texture(tex_sheen_tint, coords(12)).rgb);
    if (has(13)) film.x *= texture(tex_iridescence, coords(13)).r;
}

// Two beams in a thin film: what its two sides reflect, apart by twice the way through it (KHR_materials_iridescence).
vec3 filmed(vec3 below, float cosine) {
    float n = film.y, inside = sqrt(max(1.0 - (1.0 - cosine * cosine) / (n * n), 0.0));
    float front = pow((n - 1.0) / (n + 1.0), 2.0);
    front += (1.0 - front) * pow(1.0 - cosine, 5.0);
    vec3 phase = 4.0 * 3.14159 * n * film.z * inside / vec3(650.0, 550.0, 450.0) + 3.14159;
    vec3 back = below * (1.0 - front) * (1.0 - front);
    return clamp(front + back + 2.0 * sqrt(front * back) * cos(phase), 0.0, 1.0);
}

// Velvet: KHR_materials_sheen, "Sheen distribution" (Charlie) and "Sheen visibility" (Neubelt).
vec3 velvet(float nl, float nv, float nh) {
    float a = max(sheen.a * sheen.a, 0.02), sine = sqrt(max(1.0 - nh * nh, 0.0));
    float spread = (2.0 + 1.0 / a) * pow(sine, 1.0 / a) / (2.0 * 3.14159);
    return sheen.rgb * spread / (4.0 * max(nl + nv - nl * nv, 1e-3));
}

float coated(float nv) { return coat.x * (0.04 + 0.96 * pow(1.0 - nv, 5.0)); }
#endif

// Reflectance head-on of what is below all layers but a film's.
vec3 head_on(vec3 base, float metal, float nv) {
#ifdef LAYERED
    float plain = pow((ior - 1.0) / (ior + 1.0), 2.0);
    vec3 f0 = mix(min(vec3(plain) * specular.rgb, vec3(1.0)) * specular.a, base, metal);
    return film.x > 0.0 ? mix(f0, filmed(f0, nv), film.x) : f0;
#else
    return mix(vec3(0.04), base, metal);
#endif
}

// One light by the metallic-roughness model of glTF 2.0, appendix B.
vec3 lit(vec3 n, vec3 v, vec3 l, vec3 light, vec3 base, float metal, float rough) {
    float a = rough * rough;
    vec3 h = normalize(l + v);
    float nl = max(dot(n, l), 0.0), nv = max(dot(n, v), 1e-3), nh = max(dot(n, h), 0.0), vh = max(dot(v, h), 0.0);
    float d = nh * nh * (a * a - 1.0) + 1.0;
    float distribution = a * a / (3.14159 * d * d);
    float visibility = 0.5 / (nl * sqrt(nv * nv * (1.0 - a * a) + a * a) + nv * sqrt(nl * nl * (1.0 - a * a) + a * a) + 1e-4);
    vec3 f0 = head_on(base, metal, vh);
    vec3 fresnel = f0 + (1.0 - f0) * pow(1.0 - vh, 5.0);
    vec3 diffuse = (1.0 - fresnel) * (1.0 - metal) * base / 3.14159;
#ifdef LAYERED
    vec3 back = behind.rgb * behind.a * (1.0 - metal) * max(-dot(n, l), 0.0) / 3.14159;
    diffuse *= (1.0 - through.a) * (1.0 - behind.a) * (1.0 - 0.16 * max(max(sheen.r, sheen.g), sheen.b));
    return (diffuse + fresnel * distribution * visibility + velvet(nl, nv, nh)) * light * nl + back * light;
#else
    return (diffuse + fresnel * distribution * visibility) * light * nl;
#endif
}

#ifdef LAYERED
// A light's reflection in the coat, a dielectric of 1.5 (KHR_materials_clearcoat).
vec3 coat_lit(vec3 n, vec3 v, vec3 l, vec3 light) {
    float a = max(coat.y * coat.y, 0.003);
    vec3 h = normalize(l + v);
    float nl = max(dot(n, l), 0.0), nv = max(dot(n, v), 1e-3), nh = max(dot(n, h), 0.0);
    float d = nh * nh * (a * a - 1.0) + 1.0;
    float visibility = 0.5 / (nl * sqrt(nv * nv * (1.0 - a * a) + a * a) + nv * sqrt(nl * nl * (1.0 - a * a) + a * a) + 1e-4);
    return coated(max(dot(v, h), 0.0)) * a * a / (3.14159 * d * d) * visibility * light * nl;
}
#endif

vec3 shade(vec3 n, vec3 base, float metal, float rough, float occlusion) {
    vec3 v = normalize(eye - position);
    vec3 fill = normalize(vec3(-0.60, 0.25, 0.45)), rim = normalize(vec3(-0.2, 0.4, -0.9));
    vec3 sum = lit(n, v, sun, lights.x * vec3(3.1, 3.0, 2.8), base, metal, rough);
    sum += lit(n, v, fill, lights.y * vec3(0.85, 0.9, 1.0), base, metal, max(rough, 0.4));
    sum += lit(n, v, rim, lights.z * vec3(0.7), base, metal, max(rough, 0.4));
    vec3 r = reflect(-v, n);
    vec3 sky = lights.w * mix(vec3(0.34, 0.32, 0.29), vec3(0.62, 0.68, 0.72), 0.5 + 0.5 * n.y);
    vec3 mirror = lights.w * mix(vec3(0.26, 0.25, 0.23), vec3(0.86, 0.92, 0.95), smoothstep(-0.6 * (rough + 0.2), 0.6 * (rough + 0.2), r.y));
    float nv = max(dot(n, v), 0.0);
    vec3 f0 = head_on(base, metal, nv);
    vec3 fresnel = f0 + (max(vec3(1.0 - rough), f0) - f0) * pow(1.0 - nv, 5.0);
    vec3 ambient = sky * base * (1.0 - metal) * 0.55;
#ifdef LAYERED
    ambient *= (1.0 - through.a) * (1.0 - 0.16 * max(max(sheen.r, sheen.g), sheen.b));
    ambient += sky * sheen.rgb * 0.16 * (1.0 + 2.0 * pow(1.0 - nv, 2.0));
    sum += occlusion * (ambient + mirror * fresnel * 0.75);
    if (coat.x > 0.0) {
        // The coat lies over what a normal map dents.
        vec3 outer = has_normals ? normalize(normal) * sign(dot(normalize(normal), n)) : n;
        float share = coated(max(dot(outer, v), 0.0));
        vec3 glint = reflect(-v, outer);
        vec3 bright = lights.w * mix(vec3(0.26, 0.25, 0.23), vec3(0.86, 0.92, 0.95), smoothstep(-0.6 * (coat.y + 0.2), 0.6 * (coat.y + 0.2), glint.y));
        sum = sum * (1.0 - share) + bright * share * 0.75;
        sum += coat_lit(outer, v, sun, lights.x * vec3(3.1, 3.0, 2.8)) + coat_lit(outer, v, fill, lights.y * vec3(0.85, 0.9, 1.0));
    }
    return sum;
#else
    sum += occlusion * (ambient + mirror * fresnel * 0.75);
    return sum;
#endif
}

void main() {
    bool front = gl_FrontFacing != mirrored;
    if (filled) {
        // Backs alone are drawn: seen through the cut, the inside of a solid.
        result = vec4(0.20, 0.27, 0.30, 1.0);
        return;
    }
    if (position.y < below) {
        // It hides what is under it, and is not seen itself: of the colour of paper.
        result = vec4(0.953, 0.937, 0.894, 1.0);
        return;
    }
    vec4 base = base_factor * colour;
    vec4 texel = (slots & 1) != 0 ? texture(tex_base, coords(0)) : vec4(1.0);
    base *= vec4(to_linear(texel.rgb), texel.a);
    if (shading == 0 && (slots & 32) != 0)
        base.rgb *= to_linear(vec3(1.0) + (texture(tex_detail, coords(5)).rgb * 2.0 - 1.0) * detail_strength);
    if (alpha_mode == 1 && base.a < alpha_cutoff) discard;
    float alpha = alpha_mode == 2 ? base.a : 1.0;
    vec3 n = surface_normal(front);
    vec3 c;
    if (shading == 2) {
        float light = 0.55 + 0.45 * abs(dot(n, normalize(eye - position)));
        float stripe = step(0.5, fract((gl_FragCoord.x + gl_FragCoord.y) / 9.0));
        c = front ? vec3(0.80, 0.82, 0.78) * light : mix(vec3(0.49, 0.17, 0.08), vec3(0.86, 0.62, 0.48), stripe) * light;
        result = vec4(c, 1.0);
        return;
    }
#ifdef LAYERED
    layers_here();
#endif
    if (shading == 1) { base = vec4(0.56, 0.57, 0.56, base.a); }
    float metal = shading == 0 ? metallic_factor : 0.0, rough = shading == 0 ? roughness_factor : 0.75;
    float occlusion = 1.0;
    if (shading == 3) {
        vec2 cell = floor(uv0 * 8.0);
        float odd = mod(cell.x + cell.y, 2.0);
        vec3 hue = vec3(0.22 + 0.5 * fract(uv0.x), 0.42, 0.22 + 0.5 * fract(uv0.y));
        base = vec4(mix(hue, vec3(0.80), odd), 1.0);
        vec2 fine = abs(fract(uv0 * 8.0) - 0.5);
        if (max(fine.x, fine.y) > 0.48) base.rgb *= 0.4;
    }
    if (shading == 4) {
        vec2 at = coords(0);
        vec2 du = dFdx(at) * texels, dv = dFdy(at) * texels;
        float area = length(cross(dFdx(position), dFdy(position)));
        float density = sqrt(abs(du.x * dv.y - du.y * dv.x) / max(area, 1e-20));
        float t = clamp(log2(max(density, 1e-6) / 512.0) / 3.0, -1.0, 1.0);
        vec3 mid = vec3(0.82, 0.80, 0.74);
        vec3 ramp = t < 0.0 ? mix(mid, vec3(0.02, 0.15, 0.16), -t) : mix(mid, vec3(0.46, 0.04, 0.01), t);
        base = vec4(texels.x > 0.0 ? ramp : vec3(0.35), 1.0);
        vec2 cell = abs(fract(at * 8.0) - 0.5);
        if (max(cell.x, cell.y) > 0.47) base.rgb *= 0.75;
    }
    if (shading == 0 && (slots & 2) != 0) {
        vec4 t = texture(tex_metal, coords(1));
        rough *= t.g;
        metal *= t.b;
    }
    if (shading == 0 && (slots & 8) != 0) occlusion = mix(1.0, texture(tex_occlusion, coords(3)).r, occlusion_strength);
    c = unlit && shading == 0 ? base.rgb : shade(n, base.rgb, metal, clamp(rough, 0.05, 1.0), occlusion);
    if (shading == 0) {
        vec3 glow = emissive_factor;
        if ((slots & 16) != 0) glow *= to_linear(texture(tex_emissive, coords(4)).rgb);
        c += glow;
    }
#ifdef LAYERED
    if (through.a > 0.0) {
        // What is behind shows through as far as nothing is reflected, and a little of the glass's own colour with it.
        float nv = abs(dot(n, normalize(eye - position))), lost = 0.04 + 0.96 * pow(1.0 - nv, 5.0);
        float clear = clamp(0.85 * through.a * (1.0 - lost) * max(max(through.r, through.g), through.b), 0.0, 0.92);
        c += 0.3 * clear * through.rgb * base.rgb;
        alpha *= 1.0 - clear;
        c /= max(1.0 - clear, 0.08);
    }
#endif
    c = c / (1.0 + 0.12 * c);
    if (marked) c = mix(c, vec3(0.70, 0.25, 0.05), 0.7);
    result = vec4(to_srgb(c * tint), alpha);
}
