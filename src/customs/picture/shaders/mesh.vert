#version 330
in vec3 in_position;
in vec3 in_normal;
in vec4 in_tangent;
in vec2 in_uv0;
in vec2 in_uv1;
in vec4 in_colour;
#ifdef RIGGED
in vec4 in_joints0;
in vec4 in_weights0;
#ifdef EIGHT
in vec4 in_joints1;
in vec4 in_weights1;
#endif
uniform bool skinned;
uniform sampler2D joint_matrices;
uniform int morph_count;
uniform float morph_weights[16];
uniform sampler2D morph_offsets;
uniform int vertex_count;
#endif
#ifdef PLACED
in vec4 in_place0;
in vec4 in_place1;
in vec4 in_place2;
#endif
uniform mat4 model;
uniform mat4 view_projection;
uniform float cut;          // metres above which nothing is drawn
out vec3 position;
out vec3 normal;
out vec4 tangent;
out vec2 uv0;
out vec2 uv1;
out vec4 colour;
#ifdef IDS
flat out int instance;
#endif

#ifdef RIGGED
mat4 joint(float index) {
    int row = int(index + 0.5);
    return mat4(texelFetch(joint_matrices, ivec2(0, row), 0), texelFetch(joint_matrices, ivec2(1, row), 0),
                texelFetch(joint_matrices, ivec2(2, row), 0), texelFetch(joint_matrices, ivec2(3, row), 0));
}
#endif

#ifdef DUAL
vec4 texel(float index, int column) { return texelFetch(joint_matrices, ivec2(column, int(index + 0.5)), 0); }

vec3 turned(vec4 q, vec3 v) { return v + 2.0 * cross(q.xyz, cross(q.xyz, v) + q.w * v); }

// Kavan et al. 2007, as customs.motion.dual has it: stretch blended linearly, turn and move by dual quaternions.
mat4 blended_dual() {
#ifdef EIGHT
    const int most = 8;
    float index[8] = float[8](in_joints0.x, in_joints0.y, in_joints0.z, in_joints0.w,
                              in_joints1.x, in_joints1.y, in_joints1.z, in_joints1.w);
    float share[8] = float[8](in_weights0.x, in_weights0.y, in_weights0.z, in_weights0.w,
                              in_weights1.x, in_weights1.y, in_weights1.z, in_weights1.w);
#else
    const int most = 4;
    float index[4] = float[4](in_joints0.x, in_joints0.y, in_joints0.z, in_joints0.w);
    float share[4] = float[4](in_weights0.x, in_weights0.y, in_weights0.z, in_weights0.w);
#endif
    int lead = 0;
    for (int i = 1; i < most; i++) if (share[i] > share[lead]) lead = i;
    vec4 along = texel(index[lead], 4), r = vec4(0.0), d = vec4(0.0);
    mat3 stretch = mat3(0.0);
    for (int i = 0; i < most; i++) {
        vec4 q = texel(index[i], 4);
        float w = share[i] * (dot(q, along) < 0.0 ? -1.0 : 1.0);
        r += w * q;
        d += w * texel(index[i], 5);
        stretch += share[i] * mat3(texel(index[i], 6).xyz, texel(index[i], 7).xyz, texel(index[i], 8).xyz);
    }
    float size = max(length(r), 1e-9);
    r /= size;
    d /= size;
    vec3 move = 2.0 * (r.w * d.xyz - d.w * r.xyz + cross(r.xyz, d.xyz));
    return mat4(vec4(turned(r, stretch[0]), 0.0), vec4(turned(r, stretch[1]), 0.0), vec4(turned(r, stretch[2]), 0.0),
                vec4(move, 1.0));
}
#endif

void main() {
    vec3 p = in_position;
    mat4 m = model;
#ifdef PLACED
    m = model * transpose(mat4(in_place0, in_place1, in_place2, vec4(0.0, 0.0, 0.0, 1.0)));
#endif
#ifdef RIGGED
    for (int i = 0; i < morph_count; i++) {
        int at = i * vertex_count + gl_VertexID;
        p += morph_weights[i] * texelFetch(morph_offsets, ivec2(at % 1024, at / 1024), 0).xyz;
    }
    if (skinned) {
#ifdef DUAL
        m = blended_dual();
#else
        m = mat4(0.0);
        for (int i = 0; i < 4; i++) m += in_weights0[i] * joint(in_joints0[i]);
#ifdef EIGHT
        for (int i = 0; i < 4; i++) m += in_weights1[i] * joint(in_joints1[i]);
#endif
#endif
    }
#endif
    vec4 world = m * vec4(p, 1.0);
    mat3 turn = mat3(m);
    mat3 cofactor = mat3(cross(turn[1], turn[2]), cross(turn[2], turn[0]), cross(turn[0], turn[1]));
    position = world.xyz;
    normal = cofactor * in_normal;
    tangent = vec4(turn * in_tangent.xyz, in_tangent.w);
    uv0 = in_uv0;
    uv1 = in_uv1;
    colour = in_colour;
#ifdef IDS
    instance = gl_InstanceID;
#endif
    gl_ClipDistance[0] = cut - world.y;
    gl_Position = view_projection * world;
}
